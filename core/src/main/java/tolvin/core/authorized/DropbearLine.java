package tolvin.core.authorized;

import java.math.BigInteger;
import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import java.util.Base64;
import java.util.List;
import java.util.Optional;
import java.util.stream.Stream;
import tolvin.core.authorized.Admission.Kind;
import tolvin.core.key.KeyType;
import tolvin.core.key.PlainText;
import tolvin.core.key.PublicBlob;
import tolvin.core.key.PublicKey;
import tolvin.core.key.RefusedException;
import tolvin.core.key.WireOut;

/**
 * What Dropbear's server does with a line of {@code authorized_keys}, written down from its own
 * source (2022.83; svr-authpubkey.c, checkpubkey_line, and svr-authpubkeyoptions.c) and held
 * against a running server line by line. It knows fewer options than OpenSSH's, ignores a line with
 * another one, and asks for exactly one blank where OpenSSH's takes several.
 */
final class DropbearLine {
  /** A longer line is cut there, and what follows is read as the next line. */
  static final int LONGEST = 4200;

  private static final int SHORTEST = 10;

  /** Behind a type have to stand at least a blank and two digits of the body. */
  private static final int LEAST_BEHIND_TYPE = 3;

  private static final List<String> FLAGS =
      List.of(
          "no-port-forwarding", "no-agent-forwarding", "no-X11-forwarding", "no-pty", "restrict");

  private static final List<String> LATER_FLAGS = List.of("no-touch-required", "verify-required");
  private static final String COMMAND = "command=\"";
  private static final String PERMIT_OPEN = "permitopen=\"";
  private static final BigInteger LARGEST_PORT = BigInteger.TWO.pow(32).subtract(BigInteger.ONE);
  private static final String NO_KEY = "no key can be read in it";

  private final String line;

  private DropbearLine(String line) {
    this.line = line;
  }

  /**
   * Reads a line.
   *
   * @param line the line without its end, one character for each byte
   */
  static Admission read(String line) {
    return new DropbearLine(line).read();
  }

  private Admission read() {
    int start = ServerKey.blanks(line, 0);
    if (start == line.length() || line.charAt(start) == '#') {
      return Admission.without(Kind.NOTHING, "");
    }
    if (line.length() >= LONGEST) {
      return ignored("it is longer than " + LONGEST + " bytes");
    }
    if (line.length() < SHORTEST) {
      return ignored(NO_KEY);
    }
    if (line.indexOf('\0') >= 0) {
      return ignored("a zero byte stands in it");
    }
    Optional<KeyType> first = typeAt(0);
    if (first.isPresent()) {
      return ofKey(first.get(), 0, "");
    }
    int at = start;
    boolean quoted = false;
    boolean escape = false;
    while (at < line.length()) {
      char c = line.charAt(at);
      if (!quoted && (c == ' ' || c == '\t')) {
        break;
      }
      escape = !escape && c == '\\';
      if (!escape && c == '"') {
        quoted = !quoted;
      }
      at++;
    }
    String options = line.substring(start, at);
    Optional<KeyType> behind = typeAt(at + 1);
    return behind.isPresent() ? ofKey(behind.get(), at + 1, options) : ignored(NO_KEY);
  }

  private Optional<KeyType> typeAt(int from) {
    return Stream.of(KeyType.values())
        .filter(type -> line.startsWith(type.word(), from))
        .filter(type -> from + type.word().length() + LEAST_BEHIND_TYPE <= line.length())
        .findFirst();
  }

  private Admission ofKey(KeyType type, int from, String options) {
    int body = from + type.word().length();
    if (line.charAt(body) != ' ') {
      return ignored("behind the type stands no blank");
    }
    body++;
    int end = line.indexOf(' ', body);
    end = end < 0 ? line.length() : end;
    Optional<byte[]> blob = decoded(line.substring(body, end));
    byte[] head = new WireOut().string(type.word().getBytes(StandardCharsets.US_ASCII)).toBytes();
    if (blob.isEmpty() || !startsWith(blob.get(), head)) {
      return ignored(NO_KEY);
    }
    String comment = line.substring(Math.min(end + 1, line.length()));
    Optional<String> fault = options.isEmpty() ? Optional.empty() : fault(options);
    Optional<PublicKey> key = key(blob.get());
    Kind kind = fault.isPresent() ? Kind.IGNORED : key.isPresent() ? Kind.LETS_IN : Kind.DOUBTFUL;
    String why = fault.orElse(key.isPresent() ? "" : "it holds a key that the server may read");
    return new Admission(kind, why, key, options, comment, Optional.empty());
  }

  /**
   * A body is compared with what the client sends byte for byte, so only its one spelling counts.
   */
  private static Optional<PublicKey> key(byte[] blob) {
    try {
      PublicKey key = PublicBlob.read(blob);
      return Arrays.equals(key.blob(), blob) ? Optional.of(key) : Optional.empty();
    } catch (RefusedException notRead) {
      return Optional.empty();
    }
  }

  private static boolean startsWith(byte[] blob, byte[] head) {
    return blob.length >= head.length && Arrays.equals(blob, 0, head.length, head, 0, head.length);
  }

  /** Base64 as LibTomCrypt reads it when it is not strict: what is no digit is left out. */
  private static Optional<byte[]> decoded(String body) {
    StringBuilder digits = new StringBuilder();
    for (char c : body.toCharArray()) {
      if (c < 128 && (Character.isLetterOrDigit(c) || c == '+' || c == '/')) {
        digits.append(c);
      }
    }
    if (digits.length() % 4 == 1) {
      return Optional.empty();
    }
    return Optional.of(Base64.getDecoder().decode(digits.toString()));
  }

  /** Why the server takes none of the options; empty if it takes all of them. */
  private static Optional<String> fault(String options) {
    return new Options(options).fault();
  }

  private static Admission ignored(String why) {
    return Admission.without(Kind.IGNORED, why);
  }

  /** The options of a line, one after the other, as the server goes through them. */
  private static final class Options {
    private final String text;
    private int at;
    private boolean hasCommand;

    Options(String text) {
      this.text = text;
    }

    Optional<String> fault() {
      while (at < text.length()) {
        int start = at;
        if (!flag(FLAGS)) {
          if (is(COMMAND)) {
            if (hasCommand) {
              return Optional.of("the option command stands there twice");
            }
            hasCommand = true;
            if (!endOfCommand()) {
              return Optional.of("the value of command has no closing quote");
            }
          } else if (is(PERMIT_OPEN)) {
            if (!permitted()) {
              return Optional.of("the value of permitopen is no host with a port");
            }
          } else {
            flag(LATER_FLAGS);
          }
        }
        if (at < text.length() && text.charAt(at++) != ',') {
          return Optional.of("Dropbear has no option " + named(start));
        }
      }
      return Optional.empty();
    }

    private String named(int start) {
      int end = start;
      while (end < text.length() && "=,".indexOf(text.charAt(end)) < 0) {
        end++;
      }
      String name = PlainText.shown(text.substring(start, end));
      return "“" + (name.length() > 40 ? name.substring(0, 40) + "…" : name) + "”";
    }

    private boolean flag(List<String> names) {
      return names.stream().anyMatch(this::is);
    }

    private boolean is(String name) {
      if (!text.regionMatches(true, at, name, 0, name.length())) {
        return false;
      }
      at += name.length();
      return true;
    }

    private boolean endOfCommand() {
      boolean escaped = false;
      while (at < text.length()) {
        char c = text.charAt(at++);
        if (!escaped && c == '"') {
          return true;
        }
        escaped = !escaped && c == '\\';
      }
      return false;
    }

    private boolean permitted() {
      int end = text.indexOf('"', at);
      if (end < 0) {
        at = text.length();
        return false;
      }
      String place = text.substring(at, end);
      at = end + 1;
      int colon = place.lastIndexOf(':');
      int hostFrom = 0;
      int hostTo = colon;
      if (place.startsWith("[")) {
        hostFrom = 1;
        hostTo = place.indexOf(']');
        colon = hostTo + 1;
        if (hostTo < 0 || colon >= place.length() || place.charAt(colon) != ':') {
          return false;
        }
      }
      return colon >= 0 && hostTo > hostFrom && isPort(place.substring(colon + 1));
    }

    /** A star, or a number as strtoul(3) reads it, of 32 bits at most. */
    private static boolean isPort(String text) {
      if (text.equals("*")) {
        return true;
      }
      String number = text.replaceFirst("^[ \\t\\n\\u000b\\f\\r]+", "");
      if (!number.matches("[+-]?[0-9]{1,400}")) {
        return false;
      }
      BigInteger value = new BigInteger(number.startsWith("+") ? number.substring(1) : number);
      BigInteger wrapped = value.signum() < 0 ? value.add(BigInteger.TWO.pow(64)) : value;
      return wrapped.signum() >= 0 && wrapped.compareTo(LARGEST_PORT) <= 0;
    }
  }
}
