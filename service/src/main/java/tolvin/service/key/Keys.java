package tolvin.service.key;

import io.quarkus.narayana.jta.QuarkusTransaction;
import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.Set;
import java.util.UUID;
import java.util.stream.Collectors;
import tolvin.api.key.KeyRequest;
import tolvin.core.estate.Custody;
import tolvin.core.intake.Intake;
import tolvin.core.intake.Item;
import tolvin.core.intake.Outcome;
import tolvin.core.key.PublicKey;
import tolvin.core.key.Refusal;
import tolvin.core.rulebook.Facts;
import tolvin.core.rulebook.Rulebook;
import tolvin.core.rulebook.Verdict;
import tolvin.core.weak.Weakness;
import tolvin.core.word.Words;
import tolvin.service.journal.Journal;
import tolvin.service.problem.Problem;
import tolvin.service.record.identity.IdentityRow;
import tolvin.service.record.identity.IdentityStore;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.key.WeaknessStore;
import tolvin.service.rulebook.Judgements;
import tolvin.service.rulebook.Rulebooks;
import tolvin.service.store.ClockStore;

/** Judges and registers keys, one or thousands in one transaction. */
@ApplicationScoped
public class Keys {
  private final KeyStore store;
  private final WeaknessStore weaknessStore;
  private final Weaknesses weaknesses;
  private final IdentityStore identities;
  private final Rulebooks rulebooks;
  private final ClockStore clock;
  private final Journal journal;

  Keys(
      KeyStore store,
      WeaknessStore weaknessStore,
      Weaknesses weaknesses,
      IdentityStore identities,
      Rulebooks rulebooks,
      ClockStore clock,
      Journal journal) {
    this.store = store;
    this.weaknessStore = weaknessStore;
    this.weaknesses = weaknesses;
    this.identities = identities;
    this.rulebooks = rulebooks;
    this.clock = clock;
    this.journal = journal;
  }

  /**
   * A key that came in.
   *
   * @param key the key
   * @param comment the comment that it came with
   * @param identity whom it shall belong to; absent for nobody yet
   * @param custody where its private key is kept
   * @param madeAt when it was made; null for now
   * @param evidence what was proven of it as it came
   */
  public record Candidate(
      PublicKey key,
      String comment,
      Optional<IdentityRow> identity,
      Custody custody,
      Instant madeAt,
      Set<Facts.Evidence> evidence) {

    /** A key that came without any proof. */
    public Candidate(
        PublicKey key,
        String comment,
        Optional<IdentityRow> identity,
        Custody custody,
        Instant madeAt) {
      this(key, comment, identity, custody, madeAt, Set.of());
    }
  }

  /**
   * A key that came in, judged.
   *
   * @param candidate the key
   * @param there the live registration of the same key, if there is one
   * @param facts what it was judged by
   * @param weaknesses what speaks against its numbers
   * @param verdict the rulebook's verdict on the key by itself
   */
  public record Judged(
      Candidate candidate,
      Optional<KeyRow> there,
      Facts facts,
      List<Weakness> weaknesses,
      Verdict verdict) {

    /** Whether it can be registered. */
    public boolean isAccepted() {
      return there.isEmpty() && verdict.outcome() != Verdict.Outcome.REFUSED;
    }
  }

  /** The keys judged, in their order, and what they revealed about stored ones. */
  private record Session(List<Judged> judged, Map<KeyRow, Weakness> stored) {}

  /** Judges keys without keeping them. */
  @Transactional
  public List<Judged> judge(List<Candidate> candidates) {
    return session(candidates).judged();
  }

  private Session session(List<Candidate> candidates) {
    Map<String, KeyRow> live = new HashMap<>();
    Map<String, KeyRow> ended = new HashMap<>();
    Set<String> prints =
        candidates.stream().map(c -> c.key().fingerprintText()).collect(Collectors.toSet());
    for (KeyRow row : store.everAmong(prints)) {
      (row.endedAt == null ? live : ended).put(row.fingerprint, row);
    }
    Set<PublicKey> fresh = new HashSet<>();
    for (Candidate c : candidates) {
      String print = c.key().fingerprintText();
      if (!live.containsKey(print) && !ended.containsKey(print)) {
        fresh.add(c.key());
      }
    }
    Weaknesses.Findings findings = weaknesses.examine(fresh);
    Set<UUID> known = new HashSet<>();
    live.values().forEach(row -> known.add(row.id));
    ended.values().forEach(row -> known.add(row.id));
    Map<UUID, List<Weakness>> before = weaknessStore.of(known);
    Set<UUID> holders =
        live.values().stream()
            .map(row -> row.identityId)
            .filter(Objects::nonNull)
            .collect(Collectors.toSet());
    Map<UUID, IdentityRow> names =
        identities.byIds(holders).stream().collect(Collectors.toMap(i -> i.id, i -> i));
    Rulebook rulebook = rulebooks.current().rulebook();
    Instant now = clock.now();
    List<Judged> judged = new ArrayList<>(candidates.size());
    for (Candidate c : candidates) {
      KeyRow there = live.get(c.key().fingerprintText());
      KeyRow gone = ended.get(c.key().fingerprintText());
      KeyRow earlier = there != null ? there : gone;
      List<Weakness> against =
          earlier == null ? findings.of(c.key()) : before.getOrDefault(earlier.id, List.of());
      Optional<String> otherHolder =
          Optional.ofNullable(there)
              .map(row -> names.get(row.identityId))
              .filter(i -> c.identity().filter(own -> !own.id.equals(i.id)).isPresent())
              .map(i -> i.name);
      Facts facts =
          new Facts(
              Facts.Numbers.of(c.key()),
              c.key().fingerprintText(),
              c.custody(),
              c.madeAt() == null || c.madeAt().isAfter(now) ? now : c.madeAt(),
              c.comment(),
              c.identity().map(Judgements::holder),
              otherHolder,
              Optional.ofNullable(gone).map(row -> row.endedBecause),
              c.evidence(),
              against,
              Optional.empty());
      judged.add(
          new Judged(c, Optional.ofNullable(there), facts, against, rulebook.judge(facts, now)));
    }
    return new Session(judged, findings.stored());
  }

  /**
   * Registers those keys that are accepted; the others are left as they are.
   *
   * @return for each candidate its judgement, with the new row where it was registered
   */
  @Transactional
  public List<Registered> registerAll(List<Candidate> candidates) {
    Session session = session(candidates);
    Instant now = clock.now();
    Set<PublicKey> taken = new HashSet<>();
    List<Registered> result = new ArrayList<>(candidates.size());
    List<Journal.Entry> entries = new ArrayList<>();
    for (Judged judged : session.judged()) {
      Candidate c = judged.candidate();
      boolean again = !taken.add(c.key());
      if (again || !judged.isAccepted()) {
        result.add(new Registered(judged, again, Optional.empty()));
        continue;
      }
      KeyRow row =
          add(
              c.key(),
              c.comment(),
              c.identity().map(i -> i.id).orElse(null),
              c.custody(),
              judged.facts().madeAt(),
              now);
      judged.weaknesses().forEach(w -> weaknesses.add(row.id, w, now));
      entries.add(
          new Journal.Entry(
              "key.registered",
              row.id,
              "Key "
                  + row.fingerprint
                  + " registered for "
                  + c.identity().map(i -> i.name).orElse("nobody yet"),
              Map.of("type", row.type, "bits", row.bits, "custody", row.custody)));
      result.add(new Registered(judged, false, Optional.of(row)));
    }
    store.flush();
    journal.writeAll(entries);
    session.stored().forEach((key, weakness) -> weaknesses.note(key.id, weakness));
    return result;
  }

  /**
   * What became of a key that came in.
   *
   * @param judged its judgement
   * @param again whether the same key stands earlier in the same intake
   * @param row its record, if it was registered
   */
  public record Registered(Judged judged, boolean again, Optional<KeyRow> row) {}

  /** In a transaction of its own: what a refused key reveals about stored ones is kept. */
  @Transactional(Transactional.TxType.NOT_SUPPORTED)
  KeyRow register(KeyRequest request) {
    Outcome.Key read = read(request.text());
    IdentityRow identity =
        request.identityId() == null
            ? null
            : QuarkusTransaction.requiringNew().call(() -> identities.get(request.identityId()));
    Candidate candidate =
        new Candidate(
            read.key(),
            read.comment(),
            Optional.ofNullable(identity),
            custody(request.custody()),
            request.madeAt());
    return register(candidate);
  }

  /**
   * Registers one key, in a transaction of its own.
   *
   * @throws Problem if it is registered already, or a rule refuses it
   */
  @Transactional(Transactional.TxType.NOT_SUPPORTED)
  public KeyRow register(Candidate candidate) {
    Registered registered =
        QuarkusTransaction.requiringNew().call(() -> registerAll(List.of(candidate))).get(0);
    registered
        .judged()
        .there()
        .ifPresent(
            there -> {
              throw Problem.conflict(
                  "key-registered",
                  "This key is registered already, for " + holderOf(there) + ".",
                  "One key belongs to one identity: make another one, or use that registration.");
            });
    Judgements.refuse(registered.judged().verdict());
    return registered.row().orElseThrow();
  }

  private String holderOf(KeyRow row) {
    return QuarkusTransaction.requiringNew()
        .call(() -> identities.find(row.identityId).map(i -> i.name).orElse("nobody yet"));
  }

  /** The custody of a key that comes in: never the coffer, where only Tolvin's own keys are. */
  public static Custody custody(Custody said) {
    if (said == Custody.COFFER) {
      throw Problem.invalid(
          "Only keys that Tolvin made are in the coffer.",
          "Use machine, device, module or elsewhere.");
    }
    return said == null ? Custody.ELSEWHERE : said;
  }

  /** Adds a key that Tolvin made. */
  @Transactional(Transactional.TxType.MANDATORY)
  public KeyRow add(PublicKey key, String comment, UUID identity, Custody custody, Instant made) {
    return add(key, comment, identity, custody, made, clock.now());
  }

  private KeyRow add(
      PublicKey key, String comment, UUID identity, Custody custody, Instant made, Instant now) {
    KeyRow row = new KeyRow();
    row.id = clock.id(now);
    row.fingerprint = key.fingerprintText();
    row.md5 = key.md5();
    row.type = key.type().word();
    row.bits = key.bits();
    row.application = key.application().orElse(null);
    row.blob = key.blob();
    row.comment = comment;
    row.identityId = identity;
    row.custody = custody;
    row.madeAt = made;
    row.registeredAt = now;
    return store.add(row);
  }

  /** Reads text as one key in whatever form; a problem with the reason if it is none. */
  public static Outcome.Key read(String text) {
    List<Item> items = Intake.read((text == null ? "" : text).getBytes(StandardCharsets.UTF_8));
    if (items.size() > 1) {
      throw notAKey(
          Refusal.Reason.SEVERAL_KEYS,
          "There are " + items.size() + " pieces in this text; one key was expected.",
          "Take them in together: POST /api/v1/intake, or “tolvin key add” with the whole file.");
    }
    Outcome outcome = items.get(0).outcome();
    if (outcome instanceof Outcome.Key key) {
      return key;
    }
    if (outcome instanceof Outcome.Certificate certificate) {
      throw notAKey(
          Refusal.Reason.CERTIFICATE,
          "This is an OpenSSH certificate for the key "
              + certificate.certificate().key().fingerprintText()
              + ", not a plain public key.",
          "Register the public key that the certificate was made for.");
    }
    if (outcome instanceof Outcome.Question question) {
      throw notAKey(
          Refusal.Reason.OTHER_FORM,
          question.sentence(),
          "Look at it with “tolvin key look”, which shows the readings, and give the one you mean.");
    }
    Refusal refusal = ((Outcome.Refused) outcome).refusal();
    throw notAKey(refusal.reason(), refusal.sentence(), refusal.remedy());
  }

  private static Problem notAKey(Refusal.Reason reason, String sentence, String remedy) {
    return new Problem(
        422,
        reason == Refusal.Reason.PRIVATE_KEY ? "private-key" : "not-a-key-" + Words.of(reason),
        "Not a key that can be taken",
        sentence,
        remedy);
  }
}
