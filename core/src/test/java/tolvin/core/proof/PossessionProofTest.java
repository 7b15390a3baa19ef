package tolvin.core.proof;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.nio.charset.StandardCharsets;
import java.security.SecureRandom;
import java.time.Duration;
import java.time.Instant;
import java.util.Arrays;
import java.util.Base64;
import java.util.List;
import java.util.Optional;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.EnumSource;
import tolvin.core.agent.AgentMessage;
import tolvin.core.key.Refusal.Reason;
import tolvin.core.key.RefusedException;
import tolvin.core.key.WireOut;
import tolvin.core.pair.KeyChoice;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.OpenSshFile;
import tolvin.core.pair.SecretPair;
import tolvin.core.pair.SigningException;
import tolvin.core.proof.Challenge.Purpose;
import tolvin.core.proof.PossessionProof.Issued;

class PossessionProofTest {
  private static final SecureRandom RANDOM = new SecureRandom();
  private static final Instant NOW = Instant.parse("2026-11-23T12:00:00Z");
  private static final String NAMESPACE = Purpose.POSSESSION.namespace();
  private static final SecretPair PAIR = KeyPairMaker.ed25519(RANDOM);

  private static Issued issued(String identity, Instant used) {
    Challenge challenge =
        Challenge.make(
            Purpose.POSSESSION,
            "Tolvin at skerrymoor.example",
            identity,
            "",
            NOW.plus(Duration.ofMinutes(15)),
            RANDOM);
    return new Issued(challenge, challenge.text(), Optional.ofNullable(used));
  }

  private static String signed(Issued over, String namespace) throws SigningException {
    return SshSignature.make(PAIR, namespace, over.text().getBytes(StandardCharsets.UTF_8)).text();
  }

  @Test
  void aSignatureOverTheChallengeProves() throws Exception {
    Issued asked = issued("Isla Renwick", null);
    var proven =
        PossessionProof.check(
            asked, List::of, Optional.of(PAIR.key()), signed(asked, NAMESPACE), NOW);
    assertThat(proven.key()).isEqualTo(PAIR.key());
    assertThat(asked.text())
        .startsWith("Tolvin challenge 1\npurpose: possession\n")
        .contains("\nidentity: Isla Renwick\n", "\nexpires: 2026-11-23T12:15:00Z\n");
  }

  @Test
  void whateverProvesNothingHasItsOwnReason() throws Exception {
    Issued asked = issued("Isla Renwick", null);
    Issued used = issued("Isla Renwick", NOW.minusSeconds(60));
    Issued other = issued("Tormod Haig", null);
    Issued second = issued("Isla Renwick", null);
    String good = signed(asked, NAMESPACE);
    refused(Reason.USED_BEFORE, used, List.of(), signed(used, NAMESPACE), NOW);
    refused(Reason.USED_BEFORE, asked, List.of(used), signed(used, NAMESPACE), NOW);
    refused(Reason.OTHER_IDENTITY, asked, List.of(other), signed(other, NAMESPACE), NOW);
    refused(Reason.OTHER_CHALLENGE, asked, List.of(second), signed(second, NAMESPACE), NOW);
    refused(Reason.EXPIRED, asked, List.of(), good, NOW.plus(Duration.ofMinutes(15)));
    refused(Reason.OTHER_NAMESPACE, asked, List.of(), signed(asked, "file"), NOW);
    refused(
        Reason.OTHER_NAMESPACE, asked, List.of(), signed(asked, Purpose.SIGN_IN.namespace()), NOW);
    refused(Reason.NO_SIGNATURE, asked, List.of(), "", NOW);
    refused(Reason.NO_SIGNATURE, asked, List.of(), PAIR.key().line(), NOW);
    refused(Reason.BAD_SIGNATURE, asked, List.of(), signed(second, NAMESPACE), NOW);

    byte[] whole = Base64.getMimeDecoder().decode(good.replaceAll("-----.*?-----", ""));
    refused(Reason.OTHER_HASH, asked, List.of(), replaced(whole, "sha512", "sha1xx"), NOW);
    refused(Reason.OTHER_ALGORITHM, asked, List.of(), oldRsa(asked), NOW);
    refused(Reason.CERTIFICATE, asked, List.of(), byCertificate(), NOW);
    assertThatThrownBy(
            () ->
                PossessionProof.check(
                    asked, List::of, Optional.of(KeyPairMaker.ed25519(RANDOM).key()), good, NOW))
        .extracting(e -> ((RefusedException) e).refusal().reason())
        .isEqualTo(Reason.OTHER_KEY);
  }

  private static void refused(
      Reason reason, Issued asked, List<Issued> others, String signature, Instant now) {
    assertThatThrownBy(
            () -> PossessionProof.check(asked, () -> others, Optional.empty(), signature, now))
        .isInstanceOfSatisfying(
            RefusedException.class,
            e -> {
              assertThat(e.refusal().reason()).as(e.getMessage()).isEqualTo(reason);
              assertThat(e.refusal().remedy()).isNotBlank();
            });
  }

  private static String armoured(byte[] whole) {
    return "-----BEGIN SSH SIGNATURE-----\n"
        + Base64.getMimeEncoder(70, new byte[] {'\n'}).encodeToString(whole)
        + "\n-----END SSH SIGNATURE-----\n";
  }

  private static String replaced(byte[] whole, String text, String by) {
    String latin = new String(whole, StandardCharsets.ISO_8859_1);
    return armoured(latin.replace(text, by).getBytes(StandardCharsets.ISO_8859_1));
  }

  private static String oldRsa(Issued asked) throws Exception {
    SecretPair rsa = KeyPairMaker.make(KeyChoice.RSA_3072, RANDOM);
    SshSignature made =
        SshSignature.make(rsa, NAMESPACE, asked.text().getBytes(StandardCharsets.UTF_8));
    byte[] old = new WireOut().string("ssh-rsa").string(new byte[384]).toBytes();
    return new SshSignature(made.key(), NAMESPACE, "sha512", old).text();
  }

  private static String byCertificate() {
    byte[] certificate =
        new WireOut().string("ssh-ed25519-cert-v01@openssh.com").string(new byte[32]).toBytes();
    return armoured(
        new WireOut()
            .raw("SSHSIG".getBytes(StandardCharsets.US_ASCII))
            .number(1)
            .string(certificate)
            .string(NAMESPACE)
            .string("")
            .string("sha512")
            .string(new byte[8])
            .toBytes());
  }

  @ParameterizedTest
  @EnumSource(KeyChoice.class)
  void anyChangedByteOfASignatureIsNoticed(KeyChoice choice) throws Exception {
    byte[] data = "the tide is out".getBytes(StandardCharsets.UTF_8);
    try (SecretPair pair = KeyPairMaker.make(choice, RANDOM)) {
      byte[] signature = pair.sign(data);
      assertThat(SignatureCheck.check(pair.key(), data, signature).device()).isEmpty();
      for (int i = 0; i < 40; i++) {
        byte[] spoiled = signature.clone();
        spoiled[RANDOM.nextInt(spoiled.length)] ^= (byte) (1 << RANDOM.nextInt(8));
        assertThatThrownBy(() -> SignatureCheck.check(pair.key(), data, spoiled))
            .isInstanceOf(RefusedException.class);
      }
    }
  }

  /** Whatever bytes come, each reader gives its result or a reason, never anything else. */
  @Property(tries = 500)
  void readersAreTotal(@ForAll byte[] bytes, @ForAll short at) {
    byte[] attestation =
        new WireOut()
            .string("ssh-sk-attest-v01")
            .string(bytes)
            .string("")
            .string(bytes)
            .number(0)
            .string("")
            .toBytes();
    byte[] file = OpenSshFile.write(PAIR, "x", RANDOM);
    byte[] cut = Arrays.copyOf(file, Math.floorMod(at, file.length));
    orRefused(() -> Attestation.read(bytes));
    orRefused(() -> Attestation.read(attestation));
    orRefused(() -> Attestation.read(attestation).check(PAIR.key(), bytes, List.of(), NOW));
    orRefused(() -> SshSignature.read(armoured(bytes)));
    orRefused(() -> SignatureCheck.check(PAIR.key(), bytes, bytes));
    orRefused(() -> OpenSshFile.read(cut));
    orRefused(() -> AgentMessage.read(bytes));
    orRefused(() -> tolvin.core.pair.HardwareHandle.read(bytes));
  }

  private interface Reading {
    Object read() throws RefusedException;
  }

  private static void orRefused(Reading reading) {
    try {
      assertThat(reading.read()).isNotNull();
    } catch (RefusedException e) {
      assertThat(e.refusal().sentence()).isNotBlank();
    }
  }
}
