package tolvin.core.authorized;

import java.math.BigInteger;
import java.util.Arrays;
import java.util.Locale;
import java.util.Optional;

/**
 * The value of {@code from} as OpenSSH's server reads it (ssh_config(5), PATTERNS; match.c and
 * addrmatch.c of OpenSSH 9.2): addresses, networks and patterns with commas between, each of which
 * may be negated by an exclamation mark. One entry that it cannot take shuts everybody out.
 */
public final class SourceList {
  /** As long as an address and its mask may be. */
  private static final int LONGEST_ADDRESS = 63;

  /** Longer patterns match nothing, and end the list. */
  private static final int LONGEST_PATTERN = 1023;

  private final String[] entries;

  private SourceList(String[] entries) {
    this.entries = entries;
  }

  /** Reads a list. */
  public static SourceList of(String value) {
    return new SourceList(value.split(",", -1));
  }

  /** What shuts everybody out; empty if nothing does. */
  public Optional<String> fault() {
    for (String entry : entries) {
      String text = entry.startsWith("!") ? entry.substring(1) : entry;
      if (text.isEmpty()) {
        return Optional.of("An entry of from is empty; the server lets nobody in then.");
      }
      if (Network.read(text) == Network.INCONSISTENT) {
        return Optional.of(
            "An entry of from has a mask that does not fit its address; the server lets nobody in"
                + " then.");
      }
    }
    return Optional.empty();
  }

  /**
   * Whether somebody may come from there.
   *
   * @param host the name that the server has of the other side; the address, where it asks for none
   * @param address the address, as text
   */
  public boolean matches(String host, String address) {
    Network from = Network.read(address);
    boolean found = false;
    for (String entry : entries) {
      boolean negated = entry.startsWith("!");
      String text = negated ? entry.substring(1) : entry;
      Network network = Network.read(text);
      if (text.isEmpty() || network == Network.INCONSISTENT) {
        return false;
      }
      boolean matches =
          network == null ? matchesPattern(address, text) : from != null && network.holds(from);
      if (matches && negated) {
        return false;
      }
      found |= matches;
    }
    boolean byAddress = found;
    return matchesName(host.toLowerCase(Locale.ROOT))
        .map(byName -> byName || byAddress)
        .orElse(false);
  }

  /** Whether a pattern names the host; empty if it is named by a negated one. */
  private Optional<Boolean> matchesName(String host) {
    boolean found = false;
    for (String entry : entries) {
      boolean negated = entry.startsWith("!");
      String pattern = (negated ? entry.substring(1) : entry).toLowerCase(Locale.ROOT);
      if (pattern.length() >= LONGEST_PATTERN) {
        return Optional.of(false);
      }
      if (matchesPattern(host, pattern)) {
        if (negated) {
          return Optional.empty();
        }
        found = true;
      }
    }
    return Optional.of(found);
  }

  /** Stars stand for any characters, question marks for one; in time of both lengths' product. */
  private static boolean matchesPattern(String text, String pattern) {
    boolean[] ends = new boolean[text.length() + 1]; // where what was looked at so far may end
    ends[0] = true;
    for (char c : pattern.toCharArray()) {
      if (c == '*') {
        for (int i = 1; i <= text.length(); i++) {
          ends[i] |= ends[i - 1];
        }
        continue;
      }
      for (int i = text.length(); i > 0; i--) {
        ends[i] = ends[i - 1] && (c == '?' || c == text.charAt(i - 1));
      }
      ends[0] = false;
    }
    return ends[text.length()];
  }

  /** An address with the number of bits that count. */
  private record Network(byte[] address, int bits) {
    /** One whose mask is too long, or which has bits behind its mask. */
    static final Network INCONSISTENT = new Network(new byte[0], 0);

    /** Null if the text is no address. */
    static Network read(String text) {
      if (text.length() > LONGEST_ADDRESS) {
        return null;
      }
      int slash = text.indexOf('/');
      byte[] address = bytes(slash < 0 ? text : text.substring(0, slash));
      int bits = address == null ? 0 : address.length * Byte.SIZE;
      if (slash >= 0) {
        String mask = text.substring(slash + 1);
        if (!mask.matches("\\d{1,9}") || Integer.parseInt(mask) > 128) {
          return null;
        }
        bits = Integer.parseInt(mask);
      }
      if (address == null) {
        return null;
      }
      if (bits > address.length * Byte.SIZE || !restIsZero(address, bits)) {
        return INCONSISTENT;
      }
      return new Network(address, bits);
    }

    private static boolean restIsZero(byte[] address, int bits) {
      BigInteger rest = BigInteger.ONE.shiftLeft(address.length * Byte.SIZE - bits);
      return new BigInteger(1, address).mod(rest).signum() == 0;
    }

    boolean holds(Network other) {
      if (other.address.length != address.length) {
        return false;
      }
      int rest = address.length * Byte.SIZE - bits;
      return new BigInteger(1, address)
          .shiftRight(rest)
          .equals(new BigInteger(1, other.address).shiftRight(rest));
    }

    private static byte[] bytes(String text) {
      return text.indexOf(':') < 0 ? four(text) : sixteen(text);
    }

    /**
     * One to four numbers, decimal, octal or hexadecimal; the last takes what is left (inet(3)).
     */
    private static byte[] four(String text) {
      String[] parts = text.split("\\.", -1);
      if (parts.length > 4) {
        return null;
      }
      long all = 0;
      for (int i = 0; i < parts.length; i++) {
        long part = number(parts[i]);
        boolean isLast = i == parts.length - 1;
        long most = isLast ? (1L << (Byte.SIZE * (4 - i))) - 1 : 0xff;
        if (part < 0 || part > most) {
          return null;
        }
        all |= isLast ? part : part << (Byte.SIZE * (3 - i));
      }
      return new byte[] {(byte) (all >> 24), (byte) (all >> 16), (byte) (all >> 8), (byte) all};
    }

    private static long number(String text) {
      try {
        if (text.matches("0[xX][0-9a-fA-F]{1,15}")) {
          return Long.parseLong(text.substring(2), 16);
        }
        if (text.matches("0[0-7]{0,20}")) {
          return Long.parseLong(text, 8);
        }
        return text.matches("[1-9]\\d{0,17}") ? Long.parseLong(text) : -1;
      } catch (NumberFormatException tooLarge) {
        return -1;
      }
    }

    /** Groups of sixteen bits, one run of zeros left out, an IPv4 address at the end (inet(3)). */
    private static byte[] sixteen(String text) {
      String rest = text;
      byte[] tail = {};
      int colon = text.lastIndexOf(':');
      if (text.indexOf('.') > 0) {
        if (!text.substring(colon + 1).matches("(\\d{1,3}\\.){3}\\d{1,3}")) {
          return null;
        }
        tail = strictFour(text.substring(colon + 1));
        if (tail == null) {
          return null;
        }
        rest = text.substring(0, colon + 1) + "0:0";
      }
      int gap = rest.indexOf("::");
      String[] before = groups(gap < 0 ? rest : rest.substring(0, gap));
      String[] after = gap < 0 ? new String[0] : groups(rest.substring(gap + 2));
      int known = before.length + after.length;
      if (gap < 0 ? known != 8 : known > 7) {
        return null;
      }
      byte[] address = new byte[16];
      for (int i = 0; i < known; i++) {
        boolean isBefore = i < before.length;
        String group = isBefore ? before[i] : after[i - before.length];
        if (!group.matches("[0-9a-fA-F]{1,4}")) {
          return null;
        }
        int at = isBefore ? i : 8 - known + i;
        int value = Integer.parseInt(group, 16);
        address[2 * at] = (byte) (value >> Byte.SIZE);
        address[2 * at + 1] = (byte) value;
      }
      System.arraycopy(tail, 0, address, address.length - tail.length, tail.length);
      return address;
    }

    private static byte[] strictFour(String text) {
      boolean isStrict =
          Arrays.stream(text.split("\\."))
              .allMatch(part -> part.matches("0|[1-9]\\d{0,2}") && Integer.parseInt(part) <= 0xff);
      return isStrict ? four(text) : null;
    }

    private static String[] groups(String text) {
      return text.isEmpty() ? new String[0] : text.split(":", -1);
    }
  }
}
