package tolvin.service.trial;

import static tolvin.service.store.Transactions.inNewTransaction;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Instant;
import java.util.Locale;
import java.util.Optional;
import java.util.OptionalInt;
import java.util.UUID;
import tolvin.core.diagnosis.Circumstances.Outcome;
import tolvin.core.pair.SecretPair;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.port.TrialPort;
import tolvin.service.coffer.Coffer;
import tolvin.service.destination.Access;
import tolvin.service.problem.Problem;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.placement.PlacementStore;
import tolvin.service.record.placement.TrialRow;
import tolvin.service.store.ClockStore;

/** Tolvin's own sign-ins with keys whose private keys are in the coffer. */
@ApplicationScoped
class OwnTrials {
  private final TrialRecord trials;
  private final TrialDiagnosis diagnosis;
  private final TrialPort trialPort;
  private final Access access;
  private final Coffer coffer;
  private final PlacementStore placements;
  private final ClockStore clock;

  OwnTrials(
      TrialRecord trials,
      TrialDiagnosis diagnosis,
      TrialPort trialPort,
      Access access,
      Coffer coffer,
      PlacementStore placements,
      ClockStore clock) {
    this.trials = trials;
    this.diagnosis = diagnosis;
    this.trialPort = trialPort;
    this.access = access;
    this.coffer = coffer;
    this.placements = placements;
    this.clock = clock;
  }

  /**
   * Tolvin itself signs in with a key whose private key is in the coffer.
   *
   * @param way how; null for what the destination is used by
   * @param target the directory or repository; empty for what is usual
   */
  TrialRow run(UUID accountId, UUID keyId, TrialPort.Way way, String target) {
    TrialRecord.Scene scene = trials.scene(accountId, keyId);
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
    long logFrom = diagnosis.logEnd(scene);
    Outcome outcome;
    int port = -1;
    Optional<Assertions.Refused> refused = Optional.empty();
    TrialPort.Way how = asked.orElse(TrialPort.Way.SSH);
    try (pair) {
      TrialPort.Attempt attempt = attempt(scene, pair, asked, target);
      how = attempt.way();
      TrialPort.Trial trial = trialPort.attempt(attempt);
      outcome = trial.outcome();
      row.answer = trial.answer();
      row.connection = trial.connection();
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
      row.explanation = diagnosis.explained(scene, key, refused.get());
    } else {
      diagnosis.finish(row, scene, outcome, Optional.empty(), logFrom, clientPort);
    }
    return inNewTransaction(
        () -> {
          row.id = clock.id(begun);
          row.accountId = accountId;
          row.keyId = keyId;
          placements.addTrial(row);
          trials.said(row, scene);
          return row;
        });
  }

  /** By what the sheet says, or as it was asked for. */
  private TrialPort.Attempt attempt(
      TrialRecord.Scene scene, SecretPair pair, Optional<TrialPort.Way> asked, String target)
      throws PortException {
    String place = target == null ? "" : target;
    if (scene.at().hasSheet()) {
      TrialPort.Attempt usual = access.attempt(scene.account(), trials.reference(scene), pair);
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
            asked.orElse(TrialPort.Way.SSH), usual.login(), place, Optional.empty())
        .asking(usual.who());
  }
}
