package tolvin.core.proof;

import java.nio.charset.StandardCharsets;
import java.util.Base64;
import java.util.Map;
import tolvin.core.key.PlainText;
import tolvin.core.key.PublicBlob;
import tolvin.core.key.PublicKey;
import tolvin.core.key.Refusal.Reason;
import tolvin.core.key.RefusedException;
import tolvin.core.key.Wire;
import tolvin.core.key.WireOut;
import tolvin.core.pair.Signer;
import tolvin.core.pair.SigningException;

/**
 * A signature over a message in the format of OpenSSH PROTOCOL.sshsig, as {@code ssh-keygen -Y
 * sign} writes it.
 *
 * @param key who says to have signed
 * @param namespace what the signature is for, so that one cannot be used for another
 * @param hash how the message was hashed: sha256 or sha512
 * @param signature the signature over namespace and hash
 */
public record SshSignature(PublicKey key, String namespace, String hash, byte[] signature) {
  private static final String BEGIN = "-----BEGIN SSH SIGNATURE-----";
  private static final String END = "-----END SSH SIGNATURE-----";
  private static final byte[] MAGIC = "SSHSIG".getBytes(StandardCharsets.US_ASCII);
  private static final int VERSION = 1;
  private static final int LINE = 70;
  private static final Map<String, String> HASHES =
      Map.of("sha256", "SHA-256", "sha512", "SHA-512");

  /**
   * Reads a signature.
   *
   * @param text with its armour; what stands around it does not matter
   * @throws RefusedException if it is no such signature
   */
  public static SshSignature read(String text) throws RefusedException {
    int begin = text.indexOf(BEGIN);
    int end = text.indexOf(END);
    if (begin < 0 || end < begin) {
      throw new RefusedException(
          Reason.NO_SIGNATURE,
          text.isBlank() ? "There is no signature." : "This is no signature in SSH's format.",
          "Give the whole file that ssh-keygen -Y sign wrote, usually the one that ends in .sig.",
          -1);
    }
    byte[] whole;
    try {
      whole =
          Base64.getDecoder()
              .decode(text.substring(begin + BEGIN.length(), end).replaceAll("\\s", ""));
    } catch (IllegalArgumentException notBase64) {
      throw new RefusedException(
          Reason.BAD_BASE64,
          "The signature is damaged: its body is no base64.",
          "Copy the whole file again.",
          -1);
    }
    Wire wire = new Wire(whole);
    if (whole.length < MAGIC.length
        || !new String(whole, 0, MAGIC.length, StandardCharsets.US_ASCII).equals("SSHSIG")) {
      throw SignatureCheck.bad();
    }
    wire.skip(MAGIC.length);
    if (wire.number("version") != VERSION) {
      throw new RefusedException(
          Reason.NO_SIGNATURE,
          "The signature is of a version that is not known here.",
          "Sign with a current ssh-keygen.",
          -1);
    }
    PublicKey key = signer(wire.string("public key"));
    String namespace = new String(wire.string("namespace"), StandardCharsets.UTF_8);
    wire.string("reserved string");
    String hash = new String(wire.string("hash algorithm"), StandardCharsets.US_ASCII);
    byte[] signature = wire.string("signature");
    wire.end();
    return new SshSignature(key, namespace, hash, signature);
  }

  private static PublicKey signer(byte[] blob) throws RefusedException {
    try {
      return PublicBlob.read(blob);
    } catch (RefusedException e) {
      if (e.refusal().reason() == Reason.CERTIFICATE) {
        throw new RefusedException(
            Reason.CERTIFICATE,
            "The signature was made in the name of a certificate, which proves what its authority"
                + " says, not that somebody holds this key.",
            "Sign with the plain key: give ssh-keygen the private file without its -cert.pub.",
            -1);
      }
      throw e;
    }
  }

  /**
   * Makes a signature.
   *
   * @throws SigningException if the holder of the private key does not sign
   */
  public static SshSignature make(Signer signer, String namespace, byte[] message)
      throws SigningException {
    byte[] signature = signer.sign(signedData(namespace, "sha512", message));
    return new SshSignature(signer.key(), namespace, "sha512", signature);
  }

  /**
   * Verifies it over a message.
   *
   * @param wanted the namespace that it must have
   * @throws RefusedException with {@link Reason#OTHER_NAMESPACE}, {@link Reason#OTHER_HASH}, {@link
   *     Reason#OTHER_ALGORITHM} or {@link Reason#BAD_SIGNATURE}
   */
  public SignatureCheck.Checked check(String wanted, byte[] message) throws RefusedException {
    if (!namespace.equals(wanted)) {
      throw new RefusedException(
          Reason.OTHER_NAMESPACE,
          "The signature was made for the namespace "
              + (PlainText.isPlain(namespace) && namespace.length() < 80
                  ? "“" + namespace + "”"
                  : "of something else")
              + ", not for “"
              + wanted
              + "”.",
          "Sign with: ssh-keygen -Y sign -n " + wanted + " -f KEY FILE",
          -1);
    }
    if (!HASHES.containsKey(hash)) {
      throw new RefusedException(
          Reason.OTHER_HASH,
          "The signature is over a hash"
              + (PlainText.isPlain(hash) && hash.length() < 40 ? " (" + hash + ")" : "")
              + " that is not accepted; sha256 and sha512 are.",
          "Sign with: ssh-keygen -Y sign -O hashalg=sha512 -n " + wanted + " -f KEY FILE",
          -1);
    }
    return SignatureCheck.check(key, signedData(namespace, hash, message), signature);
  }

  private static byte[] signedData(String namespace, String hash, byte[] message) {
    return new WireOut()
        .raw(MAGIC)
        .string(namespace)
        .string("")
        .string(hash)
        .string(SignatureCheck.hash(HASHES.get(hash), message))
        .toBytes();
  }

  /** The signature with its armour, as OpenSSH reads it. */
  public String text() {
    byte[] whole =
        new WireOut()
            .raw(MAGIC)
            .number(VERSION)
            .string(key.blob())
            .string(namespace)
            .string("")
            .string(hash)
            .string(signature)
            .toBytes();
    String body = Base64.getMimeEncoder(LINE, new byte[] {'\n'}).encodeToString(whole);
    return BEGIN + "\n" + body + "\n" + END + "\n";
  }
}
