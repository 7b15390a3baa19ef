package tolvin.connectors.file;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.security.SecureRandom;
import java.util.List;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.EnumSource;
import org.junit.jupiter.params.provider.MethodSource;
import tolvin.core.intake.Intake;
import tolvin.core.intake.Outcome;
import tolvin.core.key.PublicKey;
import tolvin.core.key.RefusedException;
import tolvin.core.pair.KeyChoice;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.OpenSshFile;
import tolvin.core.pair.PrivateForm;
import tolvin.core.pair.PublicPart;
import tolvin.core.pair.SecretPair;
import tolvin.core.proof.SignatureCheck;
import tolvin.core.proof.SshSignature;

/** Private files and signatures in both directions against the machine's own OpenSSH. */
class PrivateFilesTest {
  private static final SecureRandom RANDOM = new SecureRandom();
  private static final SectionCiphers CIPHERS = new SectionCiphers();
  private static final String PASSPHRASE = "grüße an die fähre";

  @TempDir Path directory;

  static Stream<String> ciphers() throws Exception {
    return run("ssh", "-Q", "cipher").lines();
  }

  @ParameterizedTest
  @MethodSource("ciphers")
  void everyCipherThatOpenSshWritesIsOpenedAndWritten(String cipher) throws Exception {
    Path theirs = directory.resolve("theirs");
    run(
        "ssh-keygen",
        "-q",
        "-t",
        "ed25519",
        "-Z",
        cipher,
        "-N",
        PASSPHRASE,
        "-C",
        "é",
        "-f",
        theirs + "");
    byte[] file = Files.readAllBytes(theirs);
    assertThat(OpenSshFile.read(file).cipher()).isEqualTo(cipher);
    OpenSshFile.Opened opened = PrivateFiles.open(file, PASSPHRASE::toCharArray);
    assertThat(opened.pair().orElseThrow().key()).isEqualTo(publicKey(theirs));
    assertThat(opened.comment()).isEqualTo("é");
    assertThatThrownBy(() -> PrivateFiles.open(file, "wrong"::toCharArray))
        .isInstanceOf(RefusedException.class)
        .hasMessageStartingWith("The passphrase is wrong.");

    SecretPair pair = KeyPairMaker.make(KeyChoice.ECDSA_P521, RANDOM);
    byte[] ours =
        OpenSshFile.write(
            pair, "ours", cipher, PASSPHRASE.getBytes(StandardCharsets.UTF_8), CIPHERS, RANDOM);
    assertThat(run("ssh-keygen", "-y", "-P", PASSPHRASE, "-f", closed("ours", ours) + "").strip())
        .isEqualTo(pair.key().line("ours"));
  }

  @ParameterizedTest
  @EnumSource(KeyChoice.class)
  void pairsOfEveryKindGoThroughEveryForm(KeyChoice choice) throws Exception {
    try (SecretPair pair = KeyPairMaker.make(choice, RANDOM)) {
      assertThat(pair.key().bits()).isEqualTo(choice.bits());
      byte[] plain = OpenSshFile.write(pair, "comment", RANDOM);
      byte[] sealed = PrivateFiles.openSsh(pair, "comment", PASSPHRASE.toCharArray(), RANDOM);
      byte[] pkcs8 =
          PrivateFiles.write(pair, "", PrivateForm.PKCS8, PASSPHRASE.toCharArray(), RANDOM);
      for (byte[] file : List.of(plain, sealed, pkcs8)) {
        assertThat(PrivateFiles.isEncrypted(file)).isEqualTo(file != plain);
        SecretPair again = PrivateFiles.open(file, PASSPHRASE::toCharArray).pair().orElseThrow();
        assertThat(again.key()).isEqualTo(pair.key());
        byte[] signature = again.sign("tide".getBytes(StandardCharsets.UTF_8));
        SignatureCheck.check(pair.key(), "tide".getBytes(StandardCharsets.UTF_8), signature);
      }
      assertThat(theirKey(closed("plain", plain), "")).isEqualTo(pair.key());
      assertThat(theirKey(closed("sealed", sealed), PASSPHRASE)).isEqualTo(pair.key());
      if (choice != KeyChoice.ED25519) { // which this OpenSSH does not read in PKCS#8
        assertThat(theirKey(closed("pkcs8", pkcs8), PASSPHRASE)).isEqualTo(pair.key());
      }
    }
  }

  /** From files of ours and of OpenSSL's; and what was read of them holds no private number. */
  @ParameterizedTest
  @EnumSource(KeyChoice.class)
  void thePublicKeyOfAFileIsFoundWithoutReadingAPrivateByte(KeyChoice choice) throws Exception {
    SecretPair pair = KeyPairMaker.make(choice, RANDOM);
    for (PrivateForm form : PrivateForm.values()) {
      if (!form.fits(pair.key().type())) {
        continue;
      }
      byte[] file = PrivateFiles.write(pair, "c", form, new char[0], RANDOM);
      if (form != PrivateForm.OPENSSH) {
        Path ours = closed("ours-" + form, file);
        Path theirs = Path.of(ours + ".theirs");
        List<String> command =
            new java.util.ArrayList<>(
                List.of("openssl", "pkey", "-in", ours + "", "-out", theirs + ""));
        if (form == PrivateForm.PEM) {
          command.add("-traditional");
        }
        run(command.toArray(String[]::new));
        file = Files.readAllBytes(theirs);
        if (choice == KeyChoice.ED25519) { // which OpenSSL writes without its public key
          byte[] without = file;
          assertThatThrownBy(() -> found(without))
              .isInstanceOf(RefusedException.class)
              .hasMessageContaining("does not say its public key");
          continue;
        }
      }
      assertThat(found(file).key()).isEqualTo(pair.key());
      assertThat(found(file).form()).isEqualTo(form);
      byte[] sealed = PrivateFiles.write(pair, "", form, PASSPHRASE.toCharArray(), RANDOM);
      if (form != PrivateForm.OPENSSH) {
        assertThatThrownBy(() -> found(sealed)).hasMessageContaining("passphrase");
      }
    }
  }

  /** What is found when pieces are read; no four bytes in a row of a private number are read. */
  private static PublicPart found(byte[] file) throws Exception {
    PublicPart part = new PublicPart();
    byte[] read = file.clone();
    for (int i = new String(file, StandardCharsets.ISO_8859_1).indexOf('\n');
        i < file.length;
        i++) {
      read[i] = file[i] == '\n' || file[i] == '-' ? file[i] : (byte) 'A';
    }
    for (var piece = part.wanted(); piece.isPresent(); piece = part.wanted()) {
      int from = (int) Math.min(file.length, piece.get().from());
      int to = Math.min(file.length, from + piece.get().length());
      System.arraycopy(file, from, read, from, to - from);
      part.give(java.util.Arrays.copyOfRange(file, from, to));
    }
    byte[] seen = numbers(new String(read, StandardCharsets.ISO_8859_1));
    try (SecretPair pair = PrivateFiles.open(file, () -> new char[0]).pair().orElseThrow()) {
      for (byte[] secret : secrets(pair)) {
        String inside = java.util.HexFormat.of().formatHex(seen);
        for (int at = 0; at + 4 <= secret.length; at++) {
          assertThat(inside.indexOf(java.util.HexFormat.of().formatHex(secret, at, at + 4)) % 2)
              .isNotZero(); // -1, or at half a byte by chance
        }
      }
    }
    return part;
  }

  private static byte[] numbers(String armoured) {
    String digits = armoured.replaceAll("-----[^-]*-----", "").replaceAll("[^A-Za-z0-9+/]", "");
    return java.util.Base64.getDecoder().decode(digits.substring(0, digits.length() / 4 * 4));
  }

  private static List<byte[]> secrets(SecretPair pair) {
    if (pair.key().type() == tolvin.core.key.KeyType.ED25519) {
      return List.of(pair.secret());
    }
    if (pair.privateKey() instanceof java.security.interfaces.ECPrivateKey ec) {
      return List.of(ec.getS().toByteArray());
    }
    var rsa = (java.security.interfaces.RSAPrivateCrtKey) pair.privateKey();
    return List.of(rsa.getPrivateExponent().toByteArray(), rsa.getPrimeP().toByteArray());
  }

  @ParameterizedTest
  @EnumSource(KeyChoice.class)
  void signaturesHoldInBothDirections(KeyChoice choice) throws Exception {
    SecretPair pair = KeyPairMaker.make(choice, RANDOM);
    Path file = closed("key", OpenSshFile.write(pair, "", RANDOM));
    Path message = Files.writeString(directory.resolve("message"), "the tide is out\n");
    byte[] bytes = Files.readAllBytes(message);
    run("ssh-keygen", "-q", "-Y", "sign", "-n", "possession@tolvin", "-f", file + "", message + "");
    SshSignature theirs = SshSignature.read(Files.readString(Path.of(message + ".sig")));
    assertThat(theirs.key()).isEqualTo(pair.key());
    theirs.check("possession@tolvin", bytes);

    Path ours =
        Files.writeString(
            directory.resolve("ours.sig"),
            SshSignature.make(pair, "possession@tolvin", bytes).text());
    Path signers =
        Files.writeString(directory.resolve("signers"), "isla " + pair.key().line() + "\n");
    Process verify =
        new ProcessBuilder(
                "ssh-keygen",
                "-Y",
                "verify",
                "-f",
                signers + "",
                "-I",
                "isla",
                "-n",
                "possession@tolvin",
                "-s",
                ours + "")
            .redirectInput(message.toFile())
            .start();
    assertThat(verify.waitFor()).isZero();
  }

  @Test
  void olderPemFormsAreOpenedToo() throws Exception {
    for (String type : List.of("rsa", "ecdsa")) {
      for (String form : List.of("PEM", "PKCS8")) {
        for (String passphrase : List.of("", PASSPHRASE)) {
          Path file = directory.resolve(type + form + passphrase.length());
          run("ssh-keygen", "-q", "-t", type, "-m", form, "-N", passphrase, "-f", file + "");
          byte[] content = Files.readAllBytes(file);
          assertThat(PrivateFiles.isEncrypted(content)).isEqualTo(!passphrase.isEmpty());
          assertThat(PrivateFiles.open(content, passphrase::toCharArray).pair().orElseThrow().key())
              .isEqualTo(publicKey(file));
          if (!passphrase.isEmpty()) {
            assertThatThrownBy(() -> PrivateFiles.open(content, "wrong"::toCharArray))
                .isInstanceOf(RefusedException.class)
                .hasMessageStartingWith("The passphrase is wrong.");
          }
        }
      }
    }
  }

  private Path closed(String name, byte[] content) throws IOException {
    Path file = directory.resolve(name);
    Files.write(file, content);
    return Files.setPosixFilePermissions(file, PosixFilePermissions.fromString("rw-------"));
  }

  private static PublicKey theirKey(Path file, String passphrase) throws Exception {
    return key(run("ssh-keygen", "-y", "-P", passphrase, "-f", file + ""));
  }

  private static PublicKey publicKey(Path file) throws Exception {
    return key(Files.readString(Path.of(file + ".pub")));
  }

  private static PublicKey key(String line) {
    return ((Outcome.Key) Intake.read(line.getBytes(StandardCharsets.UTF_8)).get(0).outcome())
        .key();
  }

  private static String run(String... command) throws Exception {
    Process process = new ProcessBuilder(command).redirectErrorStream(true).start();
    String out = new String(process.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
    assertThat(process.waitFor()).as(out).isZero();
    return out;
  }
}
