package tolvin.core.key;

import java.util.Base64;
import java.util.HexFormat;
import java.util.Locale;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * A fingerprint as somebody wrote it down: SHA-256 in base64 with or without its prefix and
 * padding, SHA-256 in hex, MD5 in hex with or without colons and prefix, or the whole line in which
 * a tool printed one. It may be incomplete or wrong; it is compared all the same.
 *
 * @param notation which of the notations it is
 * @param digits the characters that count, in the notation's normal spelling
 */
public record FingerprintText(Notation notation, String digits) {
  private static final Pattern INSIDE =
      Pattern.compile("(?:^|\\s)((?:SHA256|sha256|MD5|md5):[A-Za-z0-9+/:=]+)");
  private static final int SHORTEST = 6;
  private static final int LONGEST = 256;

  /** The notations, with the number of characters that a whole one has. */
  public enum Notation {
    SHA256_BASE64("SHA-256 in base64", 43),
    SHA256_HEX("SHA-256 in hex", 64),
    MD5_HEX("MD5 in hex", 32);

    private final String label;
    private final int length;

    Notation(String label, int length) {
      this.label = label;
      this.length = length;
    }

    /** The notation's name for people. */
    public String label() {
      return label;
    }

    /** How many characters a whole fingerprint has, colons and prefix aside. */
    public int length() {
      return length;
    }
  }

  /** Takes a text for a fingerprint, if it can be one. */
  public static Optional<FingerprintText> read(String text) {
    String stripped = text.strip();
    Matcher inside = INSIDE.matcher(stripped);
    String word = inside.find() ? inside.group(1) : stripped;
    String upper = word.toUpperCase(Locale.ROOT);
    if (upper.startsWith("SHA256:")) {
      return sha256(word.substring(7));
    }
    if (upper.startsWith("MD5:")) {
      return hex(word.substring(4)).filter(f -> f.notation() == Notation.MD5_HEX);
    }
    return hex(word).or(() -> sha256(word));
  }

  /** Whether a text is a whole fingerprint and nothing else. */
  public static boolean isFingerprint(String text) {
    return read(text).filter(f -> f.digits().length() == f.notation().length()).isPresent();
  }

  private static Optional<FingerprintText> sha256(String digits) {
    if (digits.length() > LONGEST) {
      return Optional.empty();
    }
    Optional<FingerprintText> hex =
        digits.length() >= 48
            ? hex(digits).filter(f -> f.notation() != Notation.MD5_HEX)
            : Optional.empty();
    if (hex.isPresent()) {
      return hex;
    }
    String bare = digits.replaceAll("=+$", "").replaceAll("\\s+", "");
    boolean fits =
        bare.length() >= SHORTEST && bare.length() <= Notation.SHA256_BASE64.length() + 3;
    return fits && bare.chars().allMatch(c -> Base64Text.isDigit((char) c) && c != '=')
        ? Optional.of(new FingerprintText(Notation.SHA256_BASE64, bare))
        : Optional.empty();
  }

  private static Optional<FingerprintText> hex(String text) {
    String bare = text.replaceAll("[:\\s]", "").toLowerCase(Locale.ROOT);
    if (bare.length() < SHORTEST || !bare.matches("[0-9a-f]{1,66}")) {
      return Optional.empty();
    }
    boolean colons = text.indexOf(':') > 0;
    if (bare.length() > 34) {
      return Optional.of(new FingerprintText(Notation.SHA256_HEX, bare));
    }
    return colons || bare.length() >= 30
        ? Optional.of(new FingerprintText(Notation.MD5_HEX, bare))
        : Optional.empty();
  }

  /**
   * A key's fingerprint in the same notation, without prefix and colons.
   *
   * @param md5 the key's MD5 fingerprint with prefix and colons
   */
  public String same(Fingerprint sha256, String md5) {
    String digits = sha256.value().substring("SHA256:".length());
    return switch (notation) {
      case SHA256_BASE64 -> digits;
      case SHA256_HEX -> HexFormat.of().formatHex(Base64.getDecoder().decode(digits));
      case MD5_HEX -> md5.substring("MD5:".length()).replace(":", "");
    };
  }

  /** How this fingerprint compares with a key's, given in the same notation. */
  public Comparison against(String other) {
    int length = Math.min(digits.length(), other.length());
    int first = -1;
    int different = Math.abs(digits.length() - other.length());
    for (int i = 0; i < length; i++) {
      if (digits.charAt(i) != other.charAt(i)) {
        first = first < 0 ? i : first;
        different++;
      }
    }
    if (first < 0 && digits.length() != other.length()) {
      first = length;
    }
    return new Comparison(first, different, digits.length(), other.length());
  }

  /**
   * How two fingerprints in one notation differ.
   *
   * @param first the first character that differs, counted from 0 without prefix and colons; -1 if
   *     they are the same
   * @param different how many characters differ or are missing
   * @param given how many characters the one that was given has
   * @param length how many characters a whole fingerprint has
   */
  public record Comparison(int first, int different, int given, int length) {

    /** Whether they are the same. */
    public boolean same() {
      return first < 0;
    }

    /** Whether it can be no accident that so much of them is the same. */
    public boolean near() {
      return first >= 4 || different <= length / 2;
    }

    /** Whether nothing differs, but characters are missing at the end. */
    public boolean incomplete() {
      return first > 0 && first == given;
    }

    /** The difference in words. */
    public String sentence() {
      if (same()) {
        return "the same";
      }
      if (incomplete()) {
        return "the same as far as it goes: " + first + " of " + length + " characters";
      }
      String from = "differs from the " + ordinal(first + 1) + " character on";
      return different == 1
          ? "differs in the " + ordinal(first + 1) + " character alone"
          : first < 4 ? from + ", in " + different + " of " + length : from;
    }

    private static String ordinal(int number) {
      int last = number % 10;
      boolean teen = number % 100 / 10 == 1;
      return number
          + (teen || last > 3 || last == 0 ? "th" : last == 1 ? "st" : last == 2 ? "nd" : "rd");
    }
  }
}
