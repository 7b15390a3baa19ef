package tolvin.connectors.ssh;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.IOException;
import java.math.BigInteger;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.time.Instant;
import java.time.temporal.ChronoUnit;
import java.util.Base64;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import tolvin.core.authorized.KeyOptions;
import tolvin.core.form.DerKeys;
import tolvin.core.form.Form;
import tolvin.core.give.AllowedSigner;
import tolvin.core.give.ClientBlock;
import tolvin.core.give.GivenOut;
import tolvin.core.give.KnownHost;
import tolvin.core.give.RevocationList;
import tolvin.core.give.RevocationReading;
import tolvin.core.intake.Intake;
import tolvin.core.intake.Item;
import tolvin.core.intake.Outcome;
import tolvin.core.key.Fingerprint;
import tolvin.core.key.PublicKey;
import tolvin.core.key.Refusal;
import tolvin.core.key.WireOut;
import tolvin.core.proof.KeyCertificate;

/** Every form against the OpenSSH on this machine, in both directions. */
class OpenSshFormsTest {
  private static final List<String> TYPES =
      List.of("rsa:2048", "rsa:3072", "ecdsa:256", "ecdsa:384", "ecdsa:521", "ed25519:256");

  @TempDir static Path directory;

  @BeforeAll
  static void makeOneOfEachType() throws Exception {
    for (String type : TYPES) {
      String[] parts = type.split(":");
      run(
          "ssh-keygen",
          "-q",
          "-t",
          parts[0],
          "-b",
          parts[1],
          "-N",
          "",
          "-C",
          "made for " + type,
          "-f",
          file(type).toString());
    }
    run(
        "ssh-keygen",
        "-q",
        "-t",
        "ed25519",
        "-N",
        "",
        "-C",
        "authority",
        "-f",
        file("authority").toString());
  }

  private static Path file(String type) {
    return directory.resolve(type.replace(':', '-'));
  }

  private record Ran(int status, String output) {}

  private static Ran run(String... command) throws IOException, InterruptedException {
    Process process =
        new ProcessBuilder(command).directory(directory.toFile()).redirectErrorStream(true).start();
    process.getOutputStream().close();
    String output = new String(process.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
    return new Ran(process.waitFor(), output);
  }

  private static Outcome.Key read(byte[] content) {
    List<Item> items = Intake.read(content);
    assertThat(items).hasSize(1);
    assertThat(items.get(0).outcome()).isInstanceOf(Outcome.Key.class);
    return (Outcome.Key) items.get(0).outcome();
  }

  private static PublicKey key(String type) throws IOException {
    return read(Files.readAllBytes(Path.of(file(type) + ".pub"))).key();
  }

  @Test
  void everyTypeIsListedByBothInTheSameWay() throws Exception {
    for (String type : TYPES) {
      Outcome.Key ours = read(Files.readAllBytes(Path.of(file(type) + ".pub")));
      for (String hash : List.of("sha256", "md5")) {
        String line = run("ssh-keygen", "-l", "-E", hash, "-f", file(type) + ".pub").output();
        assertThat(line.strip())
            .isEqualTo(
                ours.key().bits()
                    + " "
                    + (hash.equals("md5") ? ours.key().md5() : ours.key().fingerprintText())
                    + " "
                    + ours.comment()
                    + " ("
                    + ours.key().type().label().toUpperCase()
                    + ")");
      }
    }
  }

  @ParameterizedTest
  @ValueSource(strings = {"RFC4716", "PKCS8", "PEM"})
  void convertedFilesAreReadInBothDirections(String form) throws Exception {
    for (String type : TYPES) {
      if (form.equals("RFC4716")
          || form.equals("PKCS8") && !type.startsWith("ed")
          || type.startsWith("rsa")) {
        Ran theirs = run("ssh-keygen", "-e", "-m", form, "-f", file(type) + ".pub");
        assertThat(theirs.status()).as(theirs.output()).isZero();
        assertThat(read(theirs.output().getBytes()).key()).isEqualTo(key(type));
        Form ours =
            form.equals("RFC4716")
                ? Form.RFC4716
                : form.equals("PEM") ? Form.PKCS1_PEM : Form.SPKI_PEM;
        String written = GivenOut.write(key(type), "crane 4", KeyOptions.NONE, ours);
        Path file = Files.writeString(directory.resolve("converted"), written);
        Ran back = run("ssh-keygen", "-i", "-m", form, "-f", file.toString());
        assertThat(back.output().strip()).startsWith(key(type).line());
      }
    }
  }

  /** Certificates made by the platform's own tool: of each only the key is taken. */
  @ParameterizedTest
  @ValueSource(strings = {"RSA:2048", "EC:256", "EC:521", "Ed25519:255"})
  void theKeyOfAnX509CertificateIsTheOneThatItWasMadeFor(String type) throws Exception {
    String[] parts = type.split(":");
    Path store = directory.resolve(type.replace(':', '-') + ".p12");
    List<String> command =
        new java.util.ArrayList<>(
            List.of("-genkeypair", "-keyalg", parts[0], "-alias", "a", "-dname", "CN=quay"));
    if (!parts[0].equals("Ed25519")) {
      command.addAll(List.of("-keysize", parts[1]));
    }
    keytool(store, command);
    Path pem = directory.resolve("certificate.pem");
    keytool(store, List.of("-exportcert", "-rfc", "-alias", "a", "-file", pem.toString()));
    java.security.KeyStore read = java.security.KeyStore.getInstance("PKCS12");
    try (var in = Files.newInputStream(store)) {
      read.load(in, "made up".toCharArray());
    }
    java.security.cert.Certificate certificate = read.getCertificate("a");
    PublicKey expected = DerKeys.readSpki(certificate.getPublicKey().getEncoded());
    Item item = Intake.read(Files.readAllBytes(pem)).get(0);
    assertThat(item.form()).contains(Form.X509);
    assertThat(((Outcome.Key) item.outcome()).key()).isEqualTo(expected);
    assertThat(read(certificate.getEncoded()).key()).isEqualTo(expected);
    assertThat(Intake.read(Files.readAllBytes(store)).get(0).outcome())
        .isInstanceOfSatisfying(
            Outcome.Refused.class,
            r -> assertThat(r.refusal().reason()).isEqualTo(Refusal.Reason.PRIVATE_KEY));
  }

  private static void keytool(Path store, List<String> arguments) throws Exception {
    List<String> command = new java.util.ArrayList<>();
    command.add(Path.of(System.getProperty("java.home"), "bin", "keytool").toString());
    command.addAll(arguments);
    command.addAll(List.of("-keystore", store.toString(), "-storepass", "made up"));
    Ran ran = run(command.toArray(String[]::new));
    assertThat(ran.status()).as(ran.output()).isZero();
  }

  @Test
  void revocationListsAreReadInBothDirections() throws Exception {
    PublicKey whole = key("rsa:2048");
    PublicKey digest = key("ecdsa:256");
    RevocationList ours =
        new RevocationList(
            7,
            Instant.now().truncatedTo(ChronoUnit.SECONDS),
            "test",
            Set.of(whole, key("ecdsa:521")),
            Set.of(digest.fingerprint()));
    Path file = Files.write(directory.resolve("ours.krl"), ours.toBytes());
    for (String revoked : List.of("rsa:2048", "ecdsa:256", "ecdsa:521")) {
      Ran query = run("ssh-keygen", "-Q", "-f", file.toString(), file(revoked) + ".pub");
      assertThat(query.status()).isEqualTo(1);
      assertThat(query.output()).contains("REVOKED");
    }
    Ran innocent = run("ssh-keygen", "-Q", "-f", file.toString(), file("ed25519:256") + ".pub");
    assertThat(innocent.status()).as(innocent.output()).isZero();
    assertThat(RevocationReading.read(ours.toBytes()).list()).isEqualTo(ours);

    Path theirs = directory.resolve("theirs.krl");
    Path spec = directory.resolve("spec");
    PublicKey old = key("ed25519:256");
    Files.writeString(
        spec,
        "key: "
            + whole.line()
            + "\nhash: "
            + digest.fingerprintText()
            + "\nsha1: "
            + old.line()
            + "\nserial: 7\nserial: 100-9000\nserial: 9002\nserial: 9005\nserial: 4000000000000"
            + "\nid: the old quay\nid: another\n");
    Ran made =
        run(
            "ssh-keygen",
            "-k",
            "-z",
            "9",
            "-s",
            file("ecdsa:521") + ".pub",
            "-f",
            theirs.toString(),
            spec.toString());
    assertThat(made.status()).as(made.output()).isZero();
    byte[] bytes = Files.readAllBytes(theirs);
    RevocationReading read = RevocationReading.read(bytes);
    assertThat(read.list().number()).isEqualTo(9);
    assertThat(read.list().keys()).containsExactly(whole);
    assertThat(read.list().digests()).containsExactly(digest.fingerprint());
    assertThat(read.sha1()).containsExactly(Fingerprint.sha1(old.blob()));
    Ran sha1 = run("ssh-keygen", "-l", "-E", "sha1", "-f", file("ed25519:256") + ".pub");
    assertThat(sha1.output()).contains(Fingerprint.sha1(old.blob()));
    assertThat(read.certificates())
        .containsExactly(
            new RevocationReading.RevokedCertificates(
                Optional.of(key("ecdsa:521")), BigInteger.valueOf(8905), 2));
    assertThat(read.leftOut()).isEmpty();

    // a key of a type that is unknown here does not make the others useless
    byte[] strange = new WireOut().string("ssh-dss").string("x").toBytes();
    byte[] section = new WireOut().string(strange).string(key("ecdsa:256").blob()).toBytes();
    byte[] more =
        new WireOut()
            .raw(bytes)
            .raw(new byte[] {2})
            .string(section)
            .raw(new byte[] {9})
            .string("?")
            .toBytes();
    RevocationReading second = RevocationReading.read(more);
    assertThat(second.list().keys()).containsExactlyInAnyOrder(whole, key("ecdsa:256"));
    assertThat(second.list().digests())
        .containsExactlyInAnyOrder(digest.fingerprint(), Fingerprint.of(strange));
    assertThat(second.leftOut()).hasSize(2).anyMatch(note -> note.contains("DSA"));
  }

  /** Signatures of certificates, by every type of authority; one bit changed, none holds. */
  @Test
  void signaturesOfCertificatesAreChecked() throws Exception {
    Path user = directory.resolve("signed");
    for (String authority : List.of("rsa:2048", "ecdsa:256", "ecdsa:521", "ed25519:256")) {
      Files.writeString(Path.of(user + ".pub"), key("ed25519:256").line("signed") + "\n");
      Ran made =
          run(
              "ssh-keygen",
              "-q",
              "-s",
              file(authority).toString(),
              "-I",
              "quay",
              "-n",
              "boats",
              "-z",
              "7",
              user + ".pub");
      assertThat(made.status()).as(made.output()).isZero();
      String line = Files.readString(Path.of(user + "-cert.pub"));
      KeyCertificate certificate = certificate(line);
      assertThat(certificate.signed().fault()).isEmpty();
      assertThat(certificate.signed().authority()).isEqualTo(key(authority));
      byte[] blob = Base64.getDecoder().decode(line.split(" ")[1]);
      int principal = new String(blob, StandardCharsets.ISO_8859_1).indexOf("boats");
      blob[principal] ^= 1;
      String[] parts = line.split(" ");
      parts[1] = Base64.getEncoder().encodeToString(blob);
      assertThat(certificate(String.join(" ", parts)).signed().fault()).isPresent();
    }
  }

  private static KeyCertificate certificate(String line) {
    Outcome outcome = Intake.read(line.getBytes(StandardCharsets.UTF_8)).get(0).outcome();
    assertThat(outcome).isInstanceOf(Outcome.Certificate.class);
    return ((Outcome.Certificate) outcome).certificate();
  }

  @Test
  void anAllowedSignersFileLetsExactlyItsSignersSign() throws Exception {
    Instant now = Instant.now();
    Path signers = directory.resolve("signers");
    String line =
        new AllowedSigner(
                List.of("Isla Renwick"),
                List.of("git"),
                Optional.of(now.minus(Duration.ofDays(1))),
                Optional.of(now.plus(Duration.ofDays(1))),
                key("ed25519:256"),
                "")
            .line();
    Files.writeString(signers, line + "\n");
    Path message = Files.writeString(directory.resolve("message"), "made fast");
    for (String type : List.of("ed25519:256", "rsa:2048")) {
      Files.deleteIfExists(Path.of(message + ".sig"));
      run(
          "ssh-keygen",
          "-q",
          "-Y",
          "sign",
          "-n",
          "git",
          "-f",
          file(type).toString(),
          message.toString());
      Process verify =
          new ProcessBuilder(
                  "ssh-keygen",
                  "-q",
                  "-Y",
                  "verify",
                  "-n",
                  "git",
                  "-I",
                  "Isla-Renwick",
                  "-f",
                  signers.toString(),
                  "-s",
                  message + ".sig")
              .redirectInput(message.toFile())
              .start();
      assertThat(verify.waitFor() == 0).isEqualTo(type.equals("ed25519:256"));
    }
  }

  @Test
  void knownHostsLinesAreFoundByTheClient() throws Exception {
    Path hosts = directory.resolve("hosts");
    Files.writeString(
        hosts,
        KnownHost.line(List.of("sftp.skerrymoor.example", "10.0.0.4"), 22, key("rsa:2048"))
            + "\n"
            + KnownHost.line(List.of("quay.example"), 2222, key("ed25519:256"))
            + "\n");
    for (String name : List.of("sftp.skerrymoor.example", "10.0.0.4", "[quay.example]:2222")) {
      assertThat(run("ssh-keygen", "-F", name, "-f", hosts.toString()).status()).isZero();
    }
    assertThat(run("ssh-keygen", "-F", "quay.example", "-f", hosts.toString()).status())
        .isEqualTo(1);
  }

  @Test
  void aClientBlockMeansWhatItSays() throws Exception {
    ClientBlock block =
        new ClientBlock(
            "quay-crane",
            "sftp.skerrymoor.example",
            2222,
            "crane",
            "~/.ssh/my key",
            Optional.of("quay"),
            Optional.of("/etc/quay hosts"),
            Optional.of("~/.ssh/my key.before"));
    Path config = Files.writeString(directory.resolve("config"), block.text());
    String meant = run("ssh", "-G", "-F", config.toString(), "quay-crane").output();
    assertThat(meant.lines())
        .contains(
            "hostname sftp.skerrymoor.example",
            "port 2222",
            "user crane",
            "identityfile ~/.ssh/my key",
            "identitiesonly yes",
            "stricthostkeychecking true",
            "hostkeyalias quay",
            "userknownhostsfile /etc/quay hosts");
    assertThat(meant.lines().filter(l -> l.startsWith("identityfile")))
        .containsExactly("identityfile ~/.ssh/my key", "identityfile ~/.ssh/my key.before");
    for (ClientBlock.OperatingSystem system : ClientBlock.OperatingSystem.values()) {
      assertThat(String.join(" ", system.mind(block))).contains("my key").doesNotContain("KEYFILE");
    }
  }

  @Test
  void aCertificateSaysWhatItsAuthorityPutIn() throws Exception {
    for (String type : TYPES) {
      Ran signed =
          run(
              "ssh-keygen",
              "-q",
              "-s",
              file("authority").toString(),
              "-I",
              "quay 4",
              "-n",
              "crane,pilot",
              "-z",
              "18446744073709551615",
              "-V",
              "20260101120000Z:20270101120000Z",
              "-O",
              "force-command=/bin/true",
              "-O",
              "no-pty",
              file(type) + ".pub");
      assertThat(signed.status()).as(signed.output()).isZero();
      Item item = Intake.read(Files.readAllBytes(Path.of(file(type) + "-cert.pub"))).get(0);
      assertThat(item.form()).contains(Form.OPENSSH_CERTIFICATE);
      KeyCertificate certificate = ((Outcome.Certificate) item.outcome()).certificate();
      assertThat(certificate.key()).isEqualTo(key(type));
      assertThat(certificate.keyId()).isEqualTo("quay 4");
      assertThat(certificate.principals()).containsExactly("crane", "pilot");
      assertThat(certificate.serial()).hasToString("18446744073709551615");
      assertThat(certificate.validAfter()).contains(Instant.parse("2026-01-01T12:00:00Z"));
      assertThat(certificate.validBefore()).contains(Instant.parse("2027-01-01T12:00:00Z"));
      assertThat(certificate.criticalOptions()).containsExactly("force-command=/bin/true");
      assertThat(certificate.extensions()).contains("permit-user-rc").doesNotContain("permit-pty");
      assertThat(certificate.signed().authority()).isEqualTo(key("authority"));
      assertThat(certificate.host()).isFalse();
    }
  }

  @Test
  void aLineWithOptionsIsWrittenSoThatItIsReadBackByBoth() throws Exception {
    KeyOptions options =
        KeyOptions.read("restrict,from=\"10.0.0.0/8,!10.1.*\",command=\"echo \\\"a, b\\\"\"");
    String line = GivenOut.authorizedLine(key("ed25519:256"), "crane 4", options);
    Path file = Files.writeString(directory.resolve("authorized"), line + "\n");
    assertThat(run("ssh-keygen", "-l", "-f", file.toString()).output())
        .contains(key("ed25519:256").fingerprintText())
        .contains("crane 4");
    Outcome.Key back = read(Files.readAllBytes(file));
    assertThat(back.options()).isEqualTo(options);
    assertThat(back.options().value("command")).contains("echo \"a, b\"");
  }
}
