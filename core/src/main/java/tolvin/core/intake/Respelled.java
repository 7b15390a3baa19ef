package tolvin.core.intake;

import java.util.EnumSet;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import tolvin.core.key.Base64Text;
import tolvin.core.key.KeyType;
import tolvin.core.key.OneLine;
import tolvin.core.key.PublicBlob;
import tolvin.core.key.Reading;
import tolvin.core.key.RefusedException;

/**
 * A key line whose words are spelled otherwise than OpenSSH writes them: the alphabet of RFC 4648
 * section 5, padding that is missing or too long, a word that is the name of a signature, of an
 * option of {@code ssh-keygen}, or in capitals. The body says itself what it is and how long, so
 * that none of this can make another key of it.
 *
 * @param key the key
 * @param corrections what was put right
 */
record Respelled(Reading.Key key, Set<Correction> corrections) {
  /** A word and a body of the beginning of a key line. */
  private static final Pattern LINE =
      Pattern.compile("(\\S+)[ \\t]+(AAAA[A-Za-z0-9+/_-]+)(=*)(?=\\s|$)(.*)", Pattern.DOTALL);

  /** Other words for a type, in small letters. */
  private static final Map<String, KeyType> WORDS =
      Map.ofEntries(
          Map.entry("rsa", KeyType.RSA),
          Map.entry("rsa-sha2-256", KeyType.RSA),
          Map.entry("rsa-sha2-512", KeyType.RSA),
          Map.entry("ed25519", KeyType.ED25519),
          Map.entry("ed25519-sk", KeyType.SK_ED25519),
          Map.entry("sk-ssh-ed25519", KeyType.SK_ED25519),
          Map.entry("ecdsa-sk", KeyType.SK_ECDSA_P256),
          Map.entry("sk-ecdsa-sha2-nistp256", KeyType.SK_ECDSA_P256),
          Map.entry("webauthn-sk-ecdsa-sha2-nistp256@openssh.com", KeyType.SK_ECDSA_P256));

  /** Reads a key line without options; empty if no other spelling makes a key of it. */
  static Optional<Respelled> of(String line) {
    Matcher parts = LINE.matcher(line);
    if (!parts.matches()) {
      return Optional.empty();
    }
    Set<Correction> corrections = EnumSet.noneOf(Correction.class);
    try {
      String body = body(parts.group(2), parts.group(3), corrections);
      KeyType type = PublicBlob.read(Base64Text.decode(body)).type();
      String word = parts.group(1);
      if (!word.equals(type.word())) {
        String small = word.toLowerCase(Locale.ROOT);
        if (!small.equals(type.word()) && WORDS.get(small) != type) {
          return Optional.empty();
        }
        corrections.add(Correction.OTHER_TYPE_WORD);
      }
      String right = type.word() + " " + body + parts.group(4);
      return Optional.of(new Respelled(OneLine.read(right).orRefuse(), corrections));
    } catch (RefusedException noKey) {
      return Optional.empty();
    }
  }

  /** The body in the one spelling that a key has. */
  static String body(String digits, String padding, Set<Correction> corrections) {
    String plain = digits;
    if (digits.matches("[A-Za-z0-9_-]+") && !digits.matches("[A-Za-z0-9]+")) {
      plain = digits.replace('-', '+').replace('_', '/');
      corrections.add(Correction.URL_ALPHABET);
    }
    String right = "=".repeat((4 - plain.length() % 4) % 4);
    if (!right.equals(padding)) {
      corrections.add(Correction.PADDING);
    }
    return plain + right;
  }
}
