package tolvin.service.trial;

import static tolvin.service.store.Transactions.inNewTransaction;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.OptionalInt;
import java.util.Set;
import java.util.UUID;
import java.util.stream.Collectors;
import tolvin.core.diagnosis.Circumstances;
import tolvin.core.diagnosis.Circumstances.ClientSide;
import tolvin.core.diagnosis.Circumstances.Outcome;
import tolvin.core.diagnosis.Circumstances.ServerSide;
import tolvin.core.diagnosis.Diagnosis;
import tolvin.core.estate.TrialBy;
import tolvin.core.give.KnownHost;
import tolvin.core.key.Fingerprint;
import tolvin.core.key.PlainText;
import tolvin.core.key.PublicKey;
import tolvin.core.pair.SecretPair;
import tolvin.core.port.LookPort;
import tolvin.core.port.Place;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.port.TrialPort;
import tolvin.core.proof.Challenge;
import tolvin.service.coffer.Coffer;
import tolvin.service.destination.Access;
import tolvin.service.identity.Owners;
import tolvin.service.job.JobKind;
import tolvin.service.job.Jobs;
import tolvin.service.job.Wakening;
import tolvin.service.journal.Journal;
import tolvin.service.problem.Problem;
import tolvin.service.proof.Proofs;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationRow;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.identity.IdentityStore;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.placement.PlacementRow;
import tolvin.service.record.placement.PlacementStore;
import tolvin.service.record.placement.TrialRow;
import tolvin.service.record.proof.ChallengeRow;
import tolvin.service.store.ClockStore;

/** Tries sign-ins, takes in those that holders tried, and explains what failed. */
@ApplicationScoped
public class Trials {
  private static final int LONGEST_ANSWER = 500;

  private final TrialPort trialPort;
  private final LookPort lookPort;
  private final Assertions assertions;
  private final Access access;
  private final Coffer coffer;
  private final AccountStore accounts;
  private final DestinationStore destinations;
  private final KeyStore keys;
  private final IdentityStore identities;
  private final PlacementStore placements;
  private final Proofs proofs;
  private final Owners owners;
  private final Wakening wakening;
  private final ClockStore clock;
  private final Journal journal;
  private final Jobs jobs;

  Trials(
      TrialPort trialPort,
      LookPort lookPort,
      Assertions assertions,
      Access access,
      Coffer coffer,
      AccountStore accounts,
      DestinationStore destinations,
      KeyStore keys,
      IdentityStore identities,
      PlacementStore placements,
      Proofs proofs,
      Owners owners,
      Wakening wakening,
      ClockStore clock,
      Journal journal,
      Jobs jobs) {
    this.trialPort = trialPort;
    this.lookPort = lookPort;
    this.assertions = assertions;
    this.access = access;
    this.coffer = coffer;
    this.accounts = accounts;
    this.destinations = destinations;
    this.keys = keys;
    this.identities = identities;
    this.placements = placements;
    this.proofs = proofs;
    this.owners = owners;
    this.wakening = wakening;
    this.clock = clock;
    this.journal = journal;
    this.jobs = jobs;
  }

  /** What a trial is about: read once, used outside of transactions. */
  private record Scene(AccountRow account, DestinationRow at, Optional<KeyRow> key) {
    String name() {
      return account.login + "@" + at.name;
    }
  }

  /**
   * Tolvin itself signs in with a key whose private key is in the coffer.
   *
   * @param way how; null for what the destination is used by
   * @param target the directory or repository; empty for what is usual
   */
  TrialRow run(UUID accountId, UUID keyId, TrialPort.Way way, String target) {
    Scene scene = scene(accountId, keyId);
    KeyRow key = scene.key().orElseThrow(() -> Problem.invalid("Name the key.", "Give keyId."));
    Optional<TrialPort.Way> asked = Optional.ofNullable(way);
    if (!scene.at().hasSheet() && asked.filter(TrialPort.Way.ASSERTION::equals).isPresent()) {
      throw Problem.invalid("This destination is signed in to over SSH.", "Use ssh, sftp or git.");
    }
    SecretPair pair =
        coffer
            .take(Coffer.PRIVATE_KEY, key.id, Access.key(key.blob))
            .orElseThrow(
                () ->
                    Problem.conflict(
                        "not-in-coffer",
                        "The private key of this key is not in the coffer, so Tolvin cannot sign"
                            + " in with it.",
                        "Its holder can, on their machine: tolvin trial run "
                            + scene.name()
                            + " --here"));
    TrialRow row = new TrialRow();
    Instant begun = inNewTransaction(clock::now);
    long logFrom = logEnd(scene);
    Outcome outcome;
    int port = -1;
    Optional<Assertions.Refused> refused = Optional.empty();
    TrialPort.Way how = asked.orElse(TrialPort.Way.SSH);
    try (pair) {
      TrialPort.Attempt attempt = attempt(scene, key, pair, asked, target);
      how = attempt.way();
      TrialPort.Trial trial = trialPort.attempt(attempt);
      outcome = trial.accepted() ? Outcome.ACCEPTED : Outcome.REFUSED;
      row.answer = trial.answer();
      port = trial.localPort();
      if (!trial.accepted() && how == TrialPort.Way.ASSERTION) {
        refused = Optional.of(new Assertions.Refused(attempt.assertion().orElseThrow(), trial));
      }
    } catch (PortException e) {
      outcome = e.kind() == Kind.HOST_KEY_CHANGED ? Outcome.HOST_KEY : Outcome.UNREACHABLE;
      row.answer = e.getMessage();
    }
    row.localPort = port;
    row.way = how;
    row.madeAt = begun;
    OptionalInt clientPort = port < 0 ? OptionalInt.empty() : OptionalInt.of(port);
    if (refused.isPresent()) {
      row.explanation =
          explanation(
              assertions.explain(
                  scene.account(), key, refused.get(), books(scene, Optional.empty())));
    } else {
      finish(row, scene, outcome, Optional.empty(), logFrom, clientPort);
    }
    return inNewTransaction(
        () -> {
          row.id = clock.id(begun);
          row.accountId = accountId;
          row.keyId = keyId;
          placements.addTrial(row);
          said(row, scene);
          return row;
        });
  }

  /** By what the sheet says, or as it was asked for. */
  private TrialPort.Attempt attempt(
      Scene scene, KeyRow key, SecretPair pair, Optional<TrialPort.Way> asked, String target)
      throws PortException {
    String place = target == null ? "" : target;
    if (scene.at().hasSheet()) {
      String reference =
          inNewTransaction(
              () -> placements.live(key.id, scene.account().id).map(p -> p.reference).orElse(""));
      TrialPort.Attempt usual = access.attempt(scene.account(), reference, pair);
      if (asked.isEmpty() || asked.get() == usual.way()) {
        return usual;
      }
      if (asked.get() == TrialPort.Way.ASSERTION || usual.way() == TrialPort.Way.ASSERTION) {
        throw new PortException(
            Kind.NOT_ALLOWED,
            scene.name()
                + " is not signed in to by "
                + asked.get().name().toLowerCase(Locale.ROOT)
                + ".",
            "Give no way: the sheet names it.");
      }
      return new TrialPort.Attempt(asked.get(), usual.login(), place, Optional.empty());
    }
    TrialPort.Attempt usual = access.attempt(scene.account(), "", pair);
    return new TrialPort.Attempt(
        asked.orElse(TrialPort.Way.SSH), usual.login(), place, Optional.empty());
  }

  /**
   * A holder is about to sign in from their own machine.
   *
   * @param row the trial, begun
   * @param challenge what the holder signs beside, to make it a proof
   * @param login where it leads
   * @param host its host
   * @param port its port
   * @param knownHosts its pinned host keys, as lines for known_hosts
   */
  public record Begun(
      TrialRow row,
      ChallengeRow challenge,
      String login,
      String host,
      int port,
      List<String> knownHosts,
      String key) {}

  /** Begins a holder's trial: notes where the server's log ends. */
  Begun begin(UUID accountId, UUID keyId, UUID asked) {
    Scene scene = scene(accountId, keyId);
    String login = sshLogin(scene);
    UUID identity = inNewTransaction(() -> answering(scene, asked));
    long logFrom = logEnd(scene);
    DestinationRow signsIn = signsInAt(scene);
    return inNewTransaction(
        () -> {
          ChallengeRow challenge =
              proofs.challenge(
                  Challenge.Purpose.SIGN_IN, identity, scene.name() + " by its holder");
          TrialRow row = new TrialRow();
          row.madeAt = clock.now();
          row.id = clock.id(row.madeAt);
          row.accountId = accountId;
          row.keyId = keyId;
          row.madeBy = TrialBy.HOLDER;
          row.state = TrialRow.State.BEGUN;
          row.answer = "";
          row.localPort = -1;
          row.logFrom = logFrom;
          row.challengeId = challenge.id;
          placements.addTrial(row);
          String host = signsIn.host;
          return new Begun(
              row,
              challenge,
              login,
              host,
              signsIn.port,
              access.hostKeys(signsIn).stream()
                  .map(k -> KnownHost.line(List.of(host), signsIn.port, k))
                  .toList(),
              scene.key().map(k -> k.fingerprint).orElse(null));
        });
  }

  private DestinationRow signsInAt(Scene scene) {
    try {
      return access.signInAt(scene.at());
    } catch (PortException nobodyKnows) {
      throw Problem.conflict(
          "no-server-to-sign-in", nobodyKnows.getMessage(), nobodyKnows.remedy());
    }
  }

  private String sshLogin(Scene scene) {
    return inNewTransaction(() -> access.sshLogin(scene.account(), ""))
        .orElseThrow(
            () ->
                Problem.invalid(
                    scene.name() + " is signed in to with an assertion, not over SSH.",
                    "Sign one on your machine: tolvin trial run --assertion"));
  }

  /** Takes in what a holder saw, explains it, and believes it as a proof if it is signed. */
  TrialRow seen(UUID trialId, Outcome outcome, String answer, ClientSide client, String signature) {
    TrialRow row = inNewTransaction(() -> placements.trial(trialId));
    if (row.state != TrialRow.State.BEGUN) {
      throw Problem.conflict(
          "trial-ended", "This trial was reported already.", "Begin another one.");
    }
    Scene scene = scene(row.accountId, row.keyId);
    boolean signed = signature != null && !signature.isBlank() && scene.key().isPresent();
    if (signed && outcome == Outcome.ACCEPTED) {
      KeyRow key = scene.key().orElseThrow();
      Proofs.Given given =
          proofs.use(row.challengeId, Optional.of(Access.key(key.blob)), signature);
      given
          .device()
          .ifPresent(
              device ->
                  inNewTransaction(
                      () -> {
                        proofs.count(key, device, clock.now());
                        return null;
                      }));
    }
    TrialRow told = new TrialRow();
    told.answer = shown(answer);
    finish(told, scene, outcome, Optional.of(client), row.logFrom, OptionalInt.empty());
    return inNewTransaction(
        () -> {
          TrialRow kept = placements.trial(trialId);
          kept.state = TrialRow.State.SEEN;
          kept.accepted = outcome == Outcome.ACCEPTED;
          kept.answer = told.answer;
          kept.signed = signed && kept.accepted;
          kept.explanation = told.explanation;
          if (kept.signed) {
            placements.live(kept.keyId, kept.accountId).ifPresent(this::proven);
          }
          said(kept, scene);
          return kept;
        });
  }

  private void proven(PlacementRow placement) {
    placement.proven(clock.now());
    jobs.wake(JobKind.PLACEMENT, placement.id); // whoever was asked may have registered it
    wakening.all();
  }

  private void finish(
      TrialRow row,
      Scene scene,
      Outcome outcome,
      Optional<ClientSide> client,
      long logFrom,
      OptionalInt clientPort) {
    row.accepted = outcome == Outcome.ACCEPTED;
    if (row.accepted) {
      return;
    }
    Optional<ServerSide> server =
        outcome == Outcome.REFUSED ? look(scene, logFrom, clientPort) : Optional.empty();
    Circumstances about =
        inNewTransaction(
            () ->
                new Circumstances(
                    new Circumstances.Wanted(
                        scene.account().login,
                        scene.at().host,
                        scene.at().port,
                        access.hostKeys(scene.at()).stream().map(PublicKey::fingerprint).toList(),
                        scene.key().map(k -> Access.key(k.blob))),
                    outcome,
                    client,
                    server,
                    books(scene, client),
                    clock.now()));
    row.explanation = explanation(Diagnosis.of(about));
  }

  private static TrialRow.Explanation explanation(Diagnosis diagnosis) {
    return new TrialRow.Explanation(
        diagnosis.causes().stream()
            .map(
                c ->
                    new TrialRow.Cause(
                        c.kind(),
                        c.certainty(),
                        c.sentence(),
                        c.evidence().stream().map(PlainText::shown).toList(),
                        c.remedy()))
            .toList(),
        diagnosis.unknowns());
  }

  /** Where the log ends before a sign-in; a log may be far longer than what is read of it. */
  private long logEnd(Scene scene) {
    if (scene.at().stoppedBecause != null || !scene.at().hasFiles()) {
      return 0;
    }
    try {
      return lookPort.logEnd(where(scene));
    } catch (PortException unreachable) {
      return 0; // the diagnosis says what could not be looked at
    }
  }

  private Optional<ServerSide> look(Scene scene, long logFrom, OptionalInt clientPort) {
    if (scene.at().stoppedBecause != null || !scene.at().hasFiles()) {
      return Optional.empty();
    }
    try {
      return Optional.of(lookPort.look(where(scene), scene.account().login, logFrom, clientPort));
    } catch (PortException unreachable) {
      return Optional.empty(); // the diagnosis says that it could not be looked at
    }
  }

  private LookPort.Where where(Scene scene) {
    return inNewTransaction(
        () -> {
          Place.OverSsh place = (Place.OverSsh) access.account(scene.account());
          return new LookPort.Where(
              place.login(), place.path(), Optional.ofNullable(scene.at().logPath));
        });
  }

  private Circumstances.Books books(Scene scene, Optional<ClientSide> client) {
    Optional<Instant> placedAt =
        scene.key().flatMap(k -> placements.live(k.id, scene.account().id)).map(p -> p.placedAt);
    List<String> others =
        scene.key().stream()
            .flatMap(k -> placements.liveOfKeys(List.of(k.id)).stream())
            .filter(p -> !p.accountId.equals(scene.account().id))
            .map(p -> accounts.get(p.accountId))
            .map(destinations::nameOf)
            .toList();
    return new Circumstances.Books(
        placedAt,
        Duration.ofSeconds(scene.at().propagationSeconds),
        scene.account().signInMode,
        others,
        client.map(this::names).orElse(Map.of()));
  }

  /** Whose the keys are that a holder's client names. */
  private Map<Fingerprint, String> names(ClientSide client) {
    List<KeyRow> named =
        keys
            .everAmong(
                client.keysNamed().stream().map(Fingerprint::value).collect(Collectors.toSet()))
            .stream()
            .filter(key -> key.endedAt == null)
            .toList();
    Set<UUID> holders =
        named.stream().map(k -> k.identityId).filter(Objects::nonNull).collect(Collectors.toSet());
    Map<UUID, String> holderNames =
        identities.byIds(holders).stream().collect(Collectors.toMap(i -> i.id, i -> i.name));
    return named.stream()
        .collect(
            Collectors.toMap(
                key -> new Fingerprint(key.fingerprint),
                key -> key.identityId == null ? "nobody's" : holderNames.get(key.identityId)));
  }

  private void said(TrialRow row, Scene scene) {
    String by = row.madeBy == TrialBy.HOLDER ? "A holder's sign-in to " : "Tolvin's sign-in to ";
    String why =
        row.explanation == null || row.explanation.causes().isEmpty()
            ? ""
            : ": " + row.explanation.causes().get(0).sentence();
    journal.write(
        "trial.seen",
        row.accountId,
        by + scene.name() + (row.accepted ? " succeeded" : " failed" + why),
        Map.of("signed", row.signed, "way", row.way));
  }

  /** The trials on an account or with a key, the newest first. */
  @Transactional
  List<TrialRow> list(UUID account, UUID key) {
    return placements.trialsSeen(account, key, 50);
  }

  /** One trial. */
  @Transactional
  TrialRow trial(UUID id) {
    return placements.trial(id);
  }

  /**
   * Whoever is no administrator may try their own accounts, and their own keys where these stand.
   *
   * @throws Problem if it is neither
   */
  @Transactional
  void demandRight(UUID accountId, UUID keyId) {
    AccountRow account = accounts.get(accountId);
    boolean ownKeyThere =
        keyId != null
            && owners.owns(keys.get(keyId).identityId)
            && placements.live(keyId, accountId).isPresent();
    if (!ownKeyThere) {
      owners.demandSight(account.identityId);
    }
  }

  /** Whose sign-in it is: who was named, the key's holder, the account's, or the caller. */
  private UUID answering(Scene scene, UUID asked) {
    return Optional.ofNullable(asked)
        .map(owners::meant)
        .or(() -> scene.key().map(k -> k.identityId))
        .or(() -> Optional.ofNullable(scene.account().identityId))
        .or(owners::own)
        .orElseThrow(
            () ->
                Problem.invalid(
                    "It is not clear which key should have worked.",
                    "Name it: tolvin trial run ACCOUNT --here --key KEY"));
  }

  /** An account's name and a key's fingerprint, for showing. */
  @Transactional
  String name(UUID accountId) {
    return destinations.nameOf(accounts.get(accountId));
  }

  @Transactional
  String fingerprint(UUID keyId) {
    return keyId == null ? null : keys.get(keyId).fingerprint;
  }

  private Scene scene(UUID accountId, UUID keyId) {
    return inNewTransaction(
        () -> {
          AccountRow account = accounts.get(accountId);
          return new Scene(
              account,
              destinations.get(account.destinationId),
              Optional.ofNullable(keyId).map(keys::get));
        });
  }

  private static String shown(String answer) {
    String plain = PlainText.shown(answer == null ? "" : answer);
    return plain.length() > LONGEST_ANSWER ? plain.substring(0, LONGEST_ANSWER) : plain;
  }
}
