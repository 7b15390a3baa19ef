package tolvin.service.proof;

import static tolvin.service.store.Transactions.inNewTransaction;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.time.Instant;
import java.util.Base64;
import java.util.EnumSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.UUID;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import tolvin.api.proof.ProofRequest;
import tolvin.core.estate.Custody;
import tolvin.core.intake.Outcome;
import tolvin.core.key.PublicKey;
import tolvin.core.key.Refusal;
import tolvin.core.key.RefusedException;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.SecretPair;
import tolvin.core.proof.Attestation;
import tolvin.core.proof.Challenge;
import tolvin.core.proof.DeviceWord;
import tolvin.core.proof.PossessionProof;
import tolvin.core.proof.ProofKind;
import tolvin.core.rulebook.Demand;
import tolvin.core.rulebook.Facts;
import tolvin.core.rulebook.Verdict;
import tolvin.core.word.Words;
import tolvin.service.journal.Journal;
import tolvin.service.key.Keys;
import tolvin.service.problem.Problem;
import tolvin.service.record.identity.IdentityRow;
import tolvin.service.record.identity.IdentityStore;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.proof.ChallengeRow;
import tolvin.service.record.proof.ChallengeStore;
import tolvin.service.record.proof.CounterRow;
import tolvin.service.record.proof.ProofRow;
import tolvin.service.record.proof.ProofStore;
import tolvin.service.store.ClockStore;

/** Gives challenges out, and keeps what was proven with their signatures. */
@ApplicationScoped
public class Proofs {
  private static final Duration LIFE = Duration.ofMinutes(15);
  private static final Duration EXPLAINED_FOR = Duration.ofDays(1);
  private static final int EXPLAINED_BY = 500;
  private static final int LONGEST_ATTESTATION = 64 * 1024;

  private final ChallengeStore challenges;
  private final ProofStore proofs;
  private final TrustAnchors anchors;
  private final IdentityStore identities;
  private final KeyStore keyStore;
  private final Keys keys;
  private final ClockStore clock;
  private final Journal journal;
  private final String service;

  Proofs(
      ChallengeStore challenges,
      ProofStore proofs,
      TrustAnchors anchors,
      IdentityStore identities,
      KeyStore keyStore,
      Keys keys,
      ClockStore clock,
      Journal journal,
      @ConfigProperty(name = "tolvin.name") String service) {
    this.challenges = challenges;
    this.proofs = proofs;
    this.anchors = anchors;
    this.identities = identities;
    this.keyStore = keyStore;
    this.keys = keys;
    this.clock = clock;
    this.journal = journal;
    this.service = service;
  }

  /** Gives a challenge out. */
  @Transactional
  public ChallengeRow challenge(Challenge.Purpose purpose, UUID identityId, String about) {
    IdentityRow identity = identities.get(identityId);
    Instant now = clock.now();
    Challenge made =
        Challenge.make(purpose, service, identity.name, about, now.plus(LIFE), clock.random());
    ChallengeRow row = new ChallengeRow();
    row.id = clock.id(now);
    row.purpose = purpose;
    row.identityId = identity.id;
    row.identity = identity.name;
    row.about = about;
    row.nonce = made.nonce();
    row.text = made.text();
    row.issuedAt = now;
    row.expiresAt = made.expires();
    return challenges.add(row);
  }

  /** The rule that wants a passphrase on a private file of an identity, in a sentence. */
  @Transactional
  public Optional<String> passphraseRule(UUID identityId) {
    IdentityRow identity = identities.get(identityId);
    try (SecretPair pattern = KeyPairMaker.ed25519(clock.random())) {
      Keys.Candidate candidate =
          new Keys.Candidate(
              pattern.key(),
              "",
              Optional.of(identity),
              Custody.MACHINE,
              null,
              EnumSet.of(Facts.Evidence.POSSESSION));
      return keys.judge(List.of(candidate)).get(0).verdict().notes().stream()
          .filter(Verdict.Note::refuses)
          .filter(n -> n.rule().demands().contains(new Demand.Passphrase()))
          .map(n -> "Rule " + n.rule().number() + " (" + n.rule().name() + ")")
          .findFirst();
    }
  }

  /** A challenge by its id. */
  @Transactional
  public ChallengeRow challenge(UUID id) {
    return challenges.get(id);
  }

  /** What a signature proved. */
  public record Given(PublicKey key, Optional<DeviceWord> device, String algorithm) {}

  /**
   * Judges a signature over a challenge and uses the challenge up.
   *
   * @throws Problem with the reason if it proves nothing
   */
  @Transactional
  public Given use(UUID challengeId, Optional<PublicKey> key, String signature) {
    ChallengeRow row = challenges.lock(challengeId);
    Instant now = clock.now();
    try {
      PossessionProof.Proven proven =
          PossessionProof.check(
              issued(row),
              () ->
                  challenges.others(row.id, now.minus(EXPLAINED_FOR), EXPLAINED_BY).stream()
                      .map(Proofs::issued)
                      .toList(),
              key,
              signature == null ? "" : signature,
              now);
      row.usedAt = now;
      return new Given(
          proven.key(), proven.checked().device(), proven.checked().algorithm().word());
    } catch (RefusedException e) {
      throw problem(e.refusal());
    }
  }

  /**
   * Takes a key in with the proof that somebody holds it, or proves one that is registered.
   *
   * @return the key's record
   * @throws Problem if the proof does not hold, or a rule refuses the key; nothing is kept of it
   *     then, but a challenge that was answered rightly is used up
   */
  @Transactional(Transactional.TxType.NOT_SUPPORTED)
  KeyRow take(UUID challengeId, ProofRequest answer) {
    Optional<Outcome.Key> written =
        answer.key() == null || answer.key().isBlank()
            ? Optional.empty()
            : Optional.of(Keys.read(answer.key()));
    ChallengeRow row = inNewTransaction(() -> challenges.get(challengeId));
    Given given =
        inNewTransaction(() -> use(challengeId, written.map(Outcome.Key::key), answer.signature()));
    Hardware hardware = hardware(given, row, answer.attestation());
    Optional<KeyRow> there = inNewTransaction(() -> keyStore.live(given.key().fingerprintText()));
    IdentityRow identity = inNewTransaction(() -> identities.get(row.identityId));
    there
        .filter(key -> !identity.id.equals(key.identityId) && key.identityId != null)
        .ifPresent(
            key -> {
              throw Problem.conflict(
                  "key-registered",
                  "This key is registered already, for another identity.",
                  "One key belongs to one identity: make another one.");
            });
    Custody kept = given.key().type().hardware() ? Custody.DEVICE : Keys.custody(answer.custody());
    KeyRow key =
        there.orElseGet(
            () ->
                keys.register(
                    new Keys.Candidate(
                        given.key(),
                        written.map(Outcome.Key::comment).orElse(""),
                        Optional.of(identity),
                        kept,
                        null,
                        evidence(given, hardware, answer.passphrase()))));
    inNewTransaction(
        () -> {
          record(key.id, row, given, hardware, identity, answer.passphrase());
          return null;
        });
    return key;
  }

  /** What came of the attestation. */
  private record Hardware(Optional<Attestation.Attested> attested, Optional<String> note) {}

  /** An attestation that proves nothing does not undo the proof of possession; it is said. */
  private Hardware hardware(Given given, ChallengeRow row, String attestation) {
    if (attestation == null || attestation.isBlank()) {
      return new Hardware(
          Optional.empty(),
          given.key().type().hardware()
              ? Optional.of("No attestation came with the key.")
              : Optional.empty());
    }
    try {
      byte[] file = Base64.getMimeDecoder().decode(attestation);
      if (file.length > LONGEST_ATTESTATION) {
        throw Problem.invalid("The attestation is too long.", "Give the file as it was written.");
      }
      return new Hardware(
          Optional.of(
              Attestation.read(file)
                  .check(
                      given.key(),
                      row.text.getBytes(StandardCharsets.UTF_8),
                      anchors.certificates(),
                      inNewTransaction(clock::now))),
          Optional.empty());
    } catch (IllegalArgumentException notBase64) {
      throw Problem.invalid(
          "The attestation is no base64.", "Give the attestation file in base64.");
    } catch (RefusedException e) {
      if (e.refusal().reason() == Refusal.Reason.BAD_ATTESTATION) {
        throw problem(e.refusal());
      }
      return new Hardware(Optional.empty(), Optional.of(e.refusal().whole()));
    }
  }

  private static Set<Facts.Evidence> evidence(Given given, Hardware hardware, boolean passphrase) {
    Set<Facts.Evidence> evidence = EnumSet.of(Facts.Evidence.POSSESSION);
    if (passphrase) {
      evidence.add(Facts.Evidence.PASSPHRASE);
    }
    if (hardware.attested().isPresent()) {
      evidence.add(Facts.Evidence.ATTESTATION);
    }
    if (given.device().filter(DeviceWord::verified).isPresent()) {
      evidence.add(Facts.Evidence.USER_VERIFICATION);
    }
    return evidence;
  }

  private void record(
      UUID key,
      ChallengeRow challenge,
      Given given,
      Hardware hardware,
      IdentityRow identity,
      boolean passphrase) {
    Instant now = clock.now();
    KeyRow row = keyStore.lock(key);
    if (row.identityId == null) {
      row.identityId = identity.id;
    }
    if (given.key().type().hardware()) {
      row.custody = Custody.DEVICE;
    }
    ProofRow proof = row(key, challenge, given, now, ProofKind.POSSESSION);
    proof.passphrase = passphrase;
    proof.note = hardware.note().orElse(null);
    proofs.add(proof);
    journal.write(
        "key.possession-proven",
        key,
        identity.name + " proved to hold the key " + row.fingerprint,
        Map.of("algorithm", given.algorithm()));
    hardware
        .attested()
        .ifPresent(
            attested -> {
              ProofRow of = row(key, challenge, given, now, ProofKind.HARDWARE);
              of.model = attested.model();
              of.maker = attested.maker();
              proofs.add(of);
              journal.write(
                  "key.hardware-proven",
                  key,
                  "The key " + row.fingerprint + " was made inside a security key",
                  Map.of("model", attested.model().toString(), "maker", attested.maker()));
            });
    given.device().ifPresent(device -> count(row, device, now));
  }

  private ProofRow row(UUID key, ChallengeRow challenge, Given given, Instant now, ProofKind kind) {
    ProofRow proof = new ProofRow();
    proof.id = clock.id(now);
    proof.keyId = key;
    proof.kind = kind;
    proof.at = now;
    proof.challengeId = challenge.id;
    proof.algorithm = given.algorithm();
    proof.touched = given.device().map(DeviceWord::touched).orElse(null);
    proof.verified = given.device().map(DeviceWord::verified).orElse(null);
    proof.origin = given.device().flatMap(DeviceWord::origin).orElse(null);
    return proof;
  }

  /** Remembers a security key's counter; one that does not grow shows a second device. */
  @Transactional
  public void count(KeyRow key, DeviceWord device, Instant now) {
    CounterRow counter = proofs.counter(key.id).orElse(null);
    if (counter == null) {
      counter = new CounterRow();
      counter.keyId = key.id;
      counter.counter = device.counter();
      counter.seenAt = now;
      proofs.add(counter);
      return;
    }
    if (!device.follows(counter.counter)) {
      counter.wentBackAt = now;
      counter.wentBackTo = device.counter();
      journal.write(
          "key.counter-went-back",
          key.id,
          "The security key of "
              + key.fingerprint
              + " counted "
              + device.counter()
              + " after "
              + counter.counter
              + ": somebody may have a copy of it",
          Map.of("before", counter.counter, "now", device.counter()));
    }
    counter.counter = Math.max(counter.counter, device.counter());
    counter.seenAt = now;
  }

  /** The proofs of a key, oldest first. */
  @Transactional
  public List<ProofRow> of(UUID key) {
    return proofs.of(keyStore.get(key).id);
  }

  /** The counter of a key's device. */
  @Transactional
  public Optional<CounterRow> counter(UUID key) {
    return proofs.counterOf(key);
  }

  private static PossessionProof.Issued issued(ChallengeRow row) {
    return new PossessionProof.Issued(
        new Challenge(row.purpose, "", row.identity, row.about, row.nonce, row.expiresAt),
        row.text,
        Optional.ofNullable(row.usedAt));
  }

  private static Problem problem(Refusal refusal) {
    return new Problem(
        422,
        "no-proof-" + Words.of(refusal.reason()),
        "This proves nothing",
        refusal.sentence(),
        refusal.remedy());
  }
}
