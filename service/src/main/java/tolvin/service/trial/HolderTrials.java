package tolvin.service.trial;

import static tolvin.service.store.Transactions.inNewTransaction;

import jakarta.enterprise.context.ApplicationScoped;
import java.util.List;
import java.util.Optional;
import java.util.OptionalInt;
import java.util.UUID;
import tolvin.core.diagnosis.Circumstances.ClientSide;
import tolvin.core.diagnosis.Circumstances.Outcome;
import tolvin.core.estate.TrialBy;
import tolvin.core.give.KnownHost;
import tolvin.core.key.PlainText;
import tolvin.core.port.PortException;
import tolvin.core.proof.Challenge;
import tolvin.service.destination.Access;
import tolvin.service.identity.Owners;
import tolvin.service.job.JobKind;
import tolvin.service.job.Jobs;
import tolvin.service.job.Wakening;
import tolvin.service.problem.Problem;
import tolvin.service.proof.Proofs;
import tolvin.service.record.destination.DestinationRow;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.placement.PlacementRow;
import tolvin.service.record.placement.PlacementStore;
import tolvin.service.record.placement.TrialRow;
import tolvin.service.record.proof.ChallengeRow;
import tolvin.service.store.ClockStore;

/** Sign-ins that holders make from their own machines. */
@ApplicationScoped
public class HolderTrials {
  private static final int LONGEST_ANSWER = 500;

  private final TrialRecord trials;
  private final TrialDiagnosis diagnosis;
  private final Access access;
  private final PlacementStore placements;
  private final Proofs proofs;
  private final Owners owners;
  private final Wakening wakening;
  private final Jobs jobs;
  private final ClockStore clock;

  HolderTrials(
      TrialRecord trials,
      TrialDiagnosis diagnosis,
      Access access,
      PlacementStore placements,
      Proofs proofs,
      Owners owners,
      Wakening wakening,
      Jobs jobs,
      ClockStore clock) {
    this.trials = trials;
    this.diagnosis = diagnosis;
    this.access = access;
    this.placements = placements;
    this.proofs = proofs;
    this.owners = owners;
    this.wakening = wakening;
    this.jobs = jobs;
    this.clock = clock;
  }

  /**
   * A holder is about to sign in from their own machine.
   *
   * @param row the trial, begun
   * @param challenge what the holder signs beside, to make it a proof; empty if it can be none
   * @param login where it leads
   * @param host its host
   * @param port its port
   * @param knownHosts its pinned host keys, as lines for known_hosts
   */
  public record Begun(
      TrialRow row,
      Optional<ChallengeRow> challenge,
      String login,
      String host,
      int port,
      List<String> knownHosts,
      String key) {}

  /** Begins a holder's trial: notes where the server's log ends. */
  Begun begin(UUID accountId, UUID keyId, UUID asked) {
    TrialRecord.Scene scene = trials.scene(accountId, keyId);
    String login = sshLogin(scene);
    Optional<UUID> identity = inNewTransaction(() -> answering(scene, asked));
    long logFrom = diagnosis.logEnd(scene);
    DestinationRow signsIn = signsInAt(scene);
    return inNewTransaction(
        () -> {
          Optional<ChallengeRow> challenge =
              identity.map(
                  who ->
                      proofs.challenge(
                          Challenge.Purpose.SIGN_IN, who, scene.name() + " by its holder"));
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
          row.challengeId = challenge.map(made -> made.id).orElse(null);
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

  private DestinationRow signsInAt(TrialRecord.Scene scene) {
    try {
      return access.signInAt(scene.at());
    } catch (PortException nobodyKnows) {
      throw Problem.conflict(
          "no-server-to-sign-in", nobodyKnows.getMessage(), nobodyKnows.remedy());
    }
  }

  private String sshLogin(TrialRecord.Scene scene) {
    return trials
        .sshLogin(scene)
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
    TrialRecord.Scene scene =
        row.keyId == null
            ? trials.scene(row.accountId, client.keysOffered())
            : trials.scene(row.accountId, row.keyId);
    boolean signed = signature != null && !signature.isBlank() && row.challengeId != null;
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
    diagnosis.finish(told, scene, outcome, Optional.of(client), row.logFrom, OptionalInt.empty());
    return inNewTransaction(
        () -> {
          TrialRow kept = placements.trial(trialId);
          kept.state = TrialRow.State.SEEN;
          kept.keyId = scene.key().map(key -> key.id).orElse(null);
          kept.accepted = outcome == Outcome.ACCEPTED;
          kept.answer = told.answer;
          kept.signed = signed && kept.accepted;
          kept.explanation = told.explanation;
          if (kept.signed) {
            placements.live(kept.keyId, kept.accountId).ifPresent(this::proven);
          }
          trials.said(kept, scene);
          return kept;
        });
  }

  private void proven(PlacementRow placement) {
    placement.proven(clock.now());
    jobs.wake(JobKind.PLACEMENT, placement.id); // the person who was asked may have registered it
    wakening.all();
  }

  /**
   * Whose proof it would be: who was named, the key's holder, the account's, or the caller; empty
   * if no key is named.
   */
  private Optional<UUID> answering(TrialRecord.Scene scene, UUID asked) {
    Optional<UUID> named = Optional.ofNullable(asked).map(owners::meant);
    return scene
        .key()
        .flatMap(
            key ->
                named
                    .or(() -> Optional.ofNullable(key.identityId))
                    .or(() -> Optional.ofNullable(scene.account().identityId))
                    .or(owners::own));
  }

  private static String shown(String answer) {
    String plain = PlainText.shown(answer == null ? "" : answer);
    return plain.length() > LONGEST_ANSWER ? plain.substring(0, LONGEST_ANSWER) : plain;
  }
}
