package tolvin.core.authorized;

import java.io.ByteArrayOutputStream;
import java.math.BigInteger;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import java.util.Base64;
import java.util.HashMap;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import tolvin.core.key.KeyType;
import tolvin.core.key.PublicBlob;
import tolvin.core.key.PublicKey;
import tolvin.core.key.Refusal.Reason;
import tolvin.core.key.RefusedException;
import tolvin.core.key.Wire;

/**
 * A type word and a body as OpenSSH's server reads them (sshkey.c, sshkey_read and
 * sshkey_from_blob; b64_pton of the C library), which takes more spellings of one key than the
 * files of {@code ssh-keygen} have: other words for a type, blanks of other kinds within the body,
 * zeros before a number.
 *
 * @param key the key in its own spelling, if there is one
 * @param isDoubtful whether the server may read a key there that cannot be told here
 * @param why why there is no key, or doubt
 * @param end where the body ends
 */
record ServerKey(Optional<PublicKey> key, boolean isDoubtful, String why, int end) {
  /**
   * Words of types that are no words of keys; the names of signatures among them are taken, too.
   */
  private static final Map<String, KeyType> WORDS = new HashMap<>();

  /** Names inside a body that mean a type as well, in any case. */
  private static final Map<String, KeyType> SHORT_NAMES =
      Map.of("rsa", KeyType.RSA, "ed25519", KeyType.ED25519, "ed25519-sk", KeyType.SK_ED25519);

  static {
    for (KeyType type : KeyType.values()) {
      WORDS.put(type.word(), type);
    }
    WORDS.put("rsa-sha2-256", KeyType.RSA);
    WORDS.put("rsa-sha2-512", KeyType.RSA);
    WORDS.put("webauthn-sk-ecdsa-sha2-nistp256@openssh.com", KeyType.SK_ECDSA_P256);
  }

  private static final String NO_KEY = "no key can be read in it";

  /** Reads a key at a place of a line; there are no blanks before it. */
  static ServerKey read(String line, int from) {
    int wordEnd = word(line, from);
    String word = line.substring(from, wordEnd);
    int bodyFrom = blanks(line, wordEnd);
    int bodyEnd = word(line, bodyFrom);
    if (bodyFrom == bodyEnd) {
      return none(NO_KEY);
    }
    KeyType type = WORDS.get(word);
    Optional<byte[]> blob = decoded(line.substring(bodyFrom, bodyEnd));
    if (type == null) {
      boolean another = blob.isPresent() && named(blob.get()).filter(word::equals).isPresent();
      return another && !word.contains("-cert-v0")
          ? doubt("it holds a key of the type " + word + ", which some servers take", bodyEnd)
          : none(NO_KEY);
    }
    if (blob.isEmpty()) {
      return none(NO_KEY);
    }
    try {
      byte[] canonical = canonical(blob.get(), type);
      return new ServerKey(Optional.of(PublicBlob.read(canonical)), false, "", bodyEnd);
    } catch (RefusedException refused) {
      return switch (refused.refusal().reason()) {
        case CUT_SHORT, LEFT_OVER, TYPE_MISMATCH, UNKNOWN_TYPE, CERTIFICATE, BAD_BASE64 ->
            none(NO_KEY);
        case NOT_ON_CURVE ->
            type == KeyType.ED25519 || type == KeyType.SK_ED25519
                ? doubt("it holds a key that the server may read: " + sentence(refused), bodyEnd)
                : none(NO_KEY);
        default -> doubt("it holds a key that the server may read: " + sentence(refused), bodyEnd);
      };
    }
  }

  private static String sentence(RefusedException refused) {
    return refused.refusal().sentence();
  }

  private static ServerKey none(String why) {
    return new ServerKey(Optional.empty(), false, why, -1);
  }

  private static ServerKey doubt(String why, int end) {
    return new ServerKey(Optional.empty(), true, why, end);
  }

  static int blanks(String line, int from) {
    int at = from;
    while (at < line.length() && (line.charAt(at) == ' ' || line.charAt(at) == '\t')) {
      at++;
    }
    return at;
  }

  private static int word(String line, int from) {
    int at = from;
    while (at < line.length() && line.charAt(at) != ' ' && line.charAt(at) != '\t') {
      at++;
    }
    return at;
  }

  /** Base64 with its padding and without stray bits; white space anywhere in it is passed over. */
  private static Optional<byte[]> decoded(String body) {
    StringBuilder digits = new StringBuilder();
    for (char c : body.toCharArray()) {
      if (c < '\t' || c > '\r') { // isspace(3), blanks aside
        digits.append(c);
      }
    }
    String text = digits.toString();
    try {
      byte[] bytes = Base64.getDecoder().decode(text);
      return Base64.getEncoder().encodeToString(bytes).equals(text)
          ? Optional.of(bytes)
          : Optional.empty();
    } catch (IllegalArgumentException noBase64) {
      return Optional.empty();
    }
  }

  private static Optional<String> named(byte[] blob) {
    try {
      return Optional.of(
          new String(new Wire(blob).string("type word"), StandardCharsets.ISO_8859_1));
    } catch (RefusedException cutShort) {
      return Optional.empty();
    }
  }

  /** The body in the spelling that a key has once: its own type word, numbers without zeros. */
  private static byte[] canonical(byte[] blob, KeyType type) throws RefusedException {
    Wire wire = new Wire(blob);
    String inner = new String(wire.string("type word"), StandardCharsets.ISO_8859_1);
    KeyType named = WORDS.getOrDefault(inner, SHORT_NAMES.get(inner.toLowerCase(Locale.ROOT)));
    if (named != type) {
      throw new RefusedException(
          Reason.TYPE_MISMATCH,
          "Another type stands inside the body than before it.",
          "Copy the line again; type word and body belong to two different keys.",
          -1);
    }
    ByteArrayOutputStream out = new ByteArrayOutputStream();
    put(out, type.word().getBytes(StandardCharsets.US_ASCII));
    if (type == KeyType.RSA) {
      for (String number : new String[] {"exponent", "modulus"}) {
        byte[] value = wire.string(number);
        boolean isPadded = value.length > 0 && value[0] == 0;
        put(out, isPadded ? new BigInteger(value).toByteArray() : value);
      }
    }
    out.writeBytes(Arrays.copyOfRange(blob, wire.at(), blob.length));
    return out.toByteArray();
  }

  private static void put(ByteArrayOutputStream out, byte[] value) {
    out.writeBytes(ByteBuffer.allocate(Integer.BYTES).putInt(value.length).array());
    out.writeBytes(value);
  }
}
