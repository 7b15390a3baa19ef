package tolvin.core.key;

import java.nio.charset.StandardCharsets;
import java.util.Base64;
import java.util.Map;
import java.util.Optional;
import java.util.regex.Pattern;
import tolvin.core.key.Refusal.Reason;

/**
 * Keys of types that nobody can sign in with here: old ones, ones of other protocols, ones that
 * only few programs know. Each is told by its word or its shape, and named with what to do.
 */
public final class OtherTypes {
  private static final String MAKE = "Make an Ed25519 key, and have it registered instead.";

  /** What is known of a type: what it is, and why it is not taken. */
  private static final Map<String, String> KNOWN =
      Map.of(
          "ssh-dss",
          "This is a DSA key (ssh-dss): OpenSSH takes none since version 7.0 unless it is told to,"
              + " and none at all from 10.0 on.",
          "ssh-ed448",
          "This is an Ed448 key (ssh-ed448, RFC 8709): OpenSSH does not know the type.",
          "ssh-xmss@openssh.com",
          "This is an XMSS key: OpenSSH is built without that type.",
          "ssh-xmss-cert-v01@openssh.com",
          "This is a certificate of an XMSS key: OpenSSH is built without that type.",
          "ssh-dss-cert-v01@openssh.com",
          "This is a certificate of a DSA key: OpenSSH takes none since version 7.0.",
          "pgp-sign-rsa",
          "This is an OpenPGP key in SSH's form (RFC 4253, section 6.6): OpenSSH does not know it.",
          "pgp-sign-dss",
          "This is an OpenPGP key in SSH's form (RFC 4253, section 6.6): OpenSSH does not know it.");

  /** A key of SSH protocol 1: bits, exponent, modulus in decimal digits, comment. */
  private static final Pattern PROTOCOL_1 =
      Pattern.compile("[1-9]\\d{2,4} [1-9]\\d{0,20} [1-9]\\d{150,5000}(?:\\s.*)?");

  private static final Pattern X509 = Pattern.compile("x509v3-[a-z0-9-]{1,60}");
  private static final Pattern WORD = Pattern.compile("[A-Za-z0-9][A-Za-z0-9@.-]{1,63}");

  private OtherTypes() {}

  /** What a type word means that is none of {@link KeyType}; empty if it is not known either. */
  public static Optional<Refusal> named(String word, int position) {
    String sentence = KNOWN.get(word);
    if (sentence == null && X509.matcher(word).matches()) {
      sentence = "This is an X.509 certificate in SSH's form (RFC 6187): OpenSSH does not know it.";
    }
    return Optional.ofNullable(sentence).map(known -> refusal(known, position));
  }

  /**
   * What a line holds that begins with no type of {@link KeyType}.
   *
   * @param line without blanks around it, and without options
   * @return empty if it is no key at all, as far as can be told
   */
  public static Optional<Refusal> of(String line) {
    if (PROTOCOL_1.matcher(line).matches()) {
      return Optional.of(
          refusal(
              "This is a key of SSH's first protocol, which no server speaks any more (OpenSSH"
                  + " dropped it in 7.6).",
              0));
    }
    String[] parts = line.split("[ \\t]+", 3);
    Optional<Refusal> named = named(parts[0], 0);
    if (named.isPresent() || parts.length < 2 || !WORD.matcher(parts[0]).matches()) {
      return named;
    }
    return inner(parts[1])
        .filter(parts[0]::equals)
        .map(
            word ->
                refusal(
                    "This is a key of the type “" + word + "”, which OpenSSH does not know.", 0));
  }

  /** The type word inside a body. */
  private static Optional<String> inner(String body) {
    try {
      String head = body.substring(0, Math.min(body.length(), 96) / 4 * 4);
      byte[] word = new Wire(Base64.getDecoder().decode(head)).string("type word");
      return Optional.of(new String(word, StandardCharsets.ISO_8859_1))
          .filter(inner -> WORD.matcher(inner).matches());
    } catch (IllegalArgumentException | RefusedException noBody) {
      return Optional.empty();
    }
  }

  /** An OpenPGP key (RFC 9580), whichever way it came. */
  public static Refusal openPgp() {
    return new Refusal(
        Reason.UNKNOWN_TYPE,
        "This is an OpenPGP key, and SSH does not sign in with those.",
        "If it has a subkey for authentication, have that one written out as an SSH key by the"
            + " program that made it; otherwise make an Ed25519 key.",
        0);
  }

  private static Refusal refusal(String sentence, int position) {
    return new Refusal(Reason.UNKNOWN_TYPE, sentence, MAKE, position);
  }
}
