package tolvin.core.intake;

import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import tolvin.core.key.Base64Text;
import tolvin.core.key.KeyType;
import tolvin.core.key.PlainText;
import tolvin.core.key.PublicBlob;
import tolvin.core.key.PublicKey;
import tolvin.core.key.Refusal;
import tolvin.core.key.Refusal.Reason;
import tolvin.core.key.RefusedException;
import tolvin.core.key.Wire;
import tolvin.core.key.WireOut;

/**
 * A file that is given for a private key and is none that can be opened here: what it is, and what
 * can be seen of it without its passphrase.
 *
 * @param refusal what it is, and what to do
 * @param key the public key, where it stands in the clear
 * @param comment the comment, where it stands in the clear; empty if there is none
 */
public record ForeignFile(Refusal refusal, Optional<PublicKey> key, String comment) {
  private static final Pattern LINES_HEAD =
      Pattern.compile("\\APuTTY-User-Key-File-(\\d): (\\S+)\\r?\\n");
  private static final Pattern LINES_COMMENT = Pattern.compile("(?m)^Comment: ?(.*?)\\r?$");
  private static final Pattern LINES_BODY =
      Pattern.compile("(?m)^Public-Lines: \\d+\\r?\\n((?:[A-Za-z0-9+/=]+\\r?\\n)+?)(?=\\S+-\\S+:)");
  private static final Pattern ARMOUR = Pattern.compile("-----BEGIN ([A-Z0-9 ]{1,60})-----");

  private static final String OPENSSH =
      "Have the program that made it write it out in OpenSSH's form, or make a new key.";

  private ForeignFile(String sentence, String remedy) {
    this(new Refusal(Reason.OTHER_FORM, sentence, remedy, -1), Optional.empty(), "");
  }

  /** Names a file that no reader opened. */
  public static ForeignFile of(byte[] file) {
    String text = new String(file, StandardCharsets.ISO_8859_1);
    Matcher lines = LINES_HEAD.matcher(text);
    if (lines.find()) {
      return lines(text, lines.group(1));
    }
    Optional<ForeignFile> bare = bare(file);
    if (bare.isPresent()) {
      return bare.get();
    }
    if (text.contains("SSH PRIVATE KEY FILE FORMAT")) {
      return new ForeignFile(
          "It is a private key of SSH's first protocol, which no server speaks any more.",
          "Make an Ed25519 key, and have it registered instead.");
    }
    if (text.contains("---- BEGIN SSH2 ENCRYPTED PRIVATE KEY ----")) {
      return new ForeignFile(
          "It is a private file in the form of another SSH program (SSH2), which is not read here.",
          OPENSSH);
    }
    if (file.length == 0 || text.isBlank()) {
      return new ForeignFile("It is empty.", "Give the private file itself.");
    }
    Matcher armour = ARMOUR.matcher(text);
    if (armour.find() && armour.group(1).contains("PRIVATE")) {
      return armoured(armour.group(1));
    }
    return open(file, text);
  }

  private static ForeignFile armoured(String label) {
    if (label.startsWith("DSA")) {
      return new ForeignFile(
          "It is a private DSA key, a type that OpenSSH has not taken since version 7.0.",
          "Make an Ed25519 key, and have it registered instead.");
    }
    if (label.startsWith("PGP")) {
      return new ForeignFile(
          "It is a private OpenPGP key, and SSH does not sign in with those.",
          "Make an Ed25519 key, and have it registered instead.");
    }
    return new ForeignFile(
        "It begins like a private key (" + label + "), but it is damaged or cut short.",
        "Copy it again, down to the line with END.");
  }

  /** Something that is no private key at all. */
  private static ForeignFile open(byte[] file, String text) {
    if (text.contains("\"kty\"")) {
      return new ForeignFile(
          "It is a JSON document with a key (RFC 7517), which is not opened here.",
          "Have the private key written out as PKCS#8.");
    }
    for (Item item : Intake.read(file)) {
      if (item.outcome() instanceof Outcome.Key read) {
        return new ForeignFile(
            new Refusal(
                Reason.OTHER_FORM,
                "It is a public key, not a private one.",
                "Give the private file, usually the one whose name has no .pub.",
                -1),
            Optional.of(read.key()),
            read.comment());
      }
      if (item.outcome() instanceof Outcome.Certificate) {
        return new ForeignFile(
            "It is a certificate, not a private key.",
            "Give the private file, usually the one whose name has no -cert.pub.");
      }
    }
    return new ForeignFile(
        "It is no key file.", "Give the private file that ssh-keygen or another program wrote.");
  }

  /** PuTTY's form: the public key and the comment stand in the clear. */
  private static ForeignFile lines(String text, String version) {
    Matcher comment = LINES_COMMENT.matcher(text);
    Matcher body = LINES_BODY.matcher(text);
    Optional<PublicKey> key = Optional.empty();
    if (body.find()) {
      String digits = body.group(1).replaceAll("\\s", "");
      try {
        key = Optional.of(PublicBlob.read(Base64Text.decode(digits)));
      } catch (RefusedException strange) {
        // its type, DSA for one, is none that can be registered
      }
    }
    return new ForeignFile(
        new Refusal(
            Reason.OTHER_FORM,
            "It is a private file in PuTTY's form (version " + version + "), which is not opened.",
            "Write it out in OpenSSH's form: puttygen FILE -O private-openssh-new -o NEW",
            -1),
        key,
        comment.find() ? shown(comment.group(1)) : "");
  }

  private static String shown(String bytes) {
    return PlainText.shown(
        new String(bytes.getBytes(StandardCharsets.ISO_8859_1), StandardCharsets.UTF_8));
  }

  /** Dropbear's form: the fields of the wire format, the private ones behind the public ones. */
  private static Optional<ForeignFile> bare(byte[] file) {
    try {
      Wire wire = new Wire(file);
      String word = new String(wire.string("type word"), StandardCharsets.US_ASCII);
      Optional<KeyType> type = KeyType.ofWord(word).filter(t -> !t.hardware());
      if (type.isEmpty()) {
        return Optional.empty();
      }
      WireOut blob = new WireOut().string(word);
      if (type.get() == KeyType.ED25519) {
        byte[] both = wire.string("private key");
        blob.string(Arrays.copyOfRange(both, both.length / 2, both.length));
      } else { // exponent and modulus, or curve and point
        blob.string(wire.string("first field")).string(wire.string("second field"));
      }
      return Optional.of(
          new ForeignFile(
              new Refusal(
                  Reason.OTHER_FORM,
                  "It is a private file in Dropbear's form, which is not opened.",
                  "Write it out in OpenSSH's form: dropbearconvert dropbear openssh FILE NEW",
                  -1),
              Optional.of(PublicBlob.read(blob.toBytes())),
              ""));
    } catch (RefusedException another) {
      return Optional.empty();
    }
  }
}
