package tolvin.service.removal;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.UUID;
import java.util.stream.Collectors;
import tolvin.core.estate.AccountId;
import tolvin.core.estate.Snapshot;
import tolvin.core.key.Fingerprint;
import tolvin.core.removal.Loss;
import tolvin.core.removal.Removal;
import tolvin.core.removal.RemovalPolicy;
import tolvin.core.rotation.Attempt.Outcome;
import tolvin.core.rotation.Effect;
import tolvin.core.rotation.RotationPlanner;
import tolvin.service.effect.Effects;
import tolvin.service.problem.Problem;
import tolvin.service.snapshot.Snapshots;

/** Asks the policy for removals, on what is on record or on what was just read. */
@ApplicationScoped
public class Removals {
  private static final Duration PERSONS_PATIENCE = Duration.ofSeconds(10);

  private final Snapshots snapshots;
  private final Effects effects;

  Removals(Snapshots snapshots, Effects effects) {
    this.snapshots = snapshots;
    this.effects = effects;
  }

  /** A removal of one key. */
  public static Removal of(UUID account, String fingerprint, Removal.Door door) {
    return new Removal(new AccountId(account), Set.of(new Fingerprint(fingerprint)), door);
  }

  /**
   * What stands against it by what is on record. Whoever plans a removal holds the account's row
   * locked meanwhile, so that two of them never count on each other's key.
   */
  public List<Loss> against(Removal removal) {
    return RemovalPolicy.whenPlanned(removal, snapshot(removal));
  }

  /**
   * Refuses it if something stands against it that the person did not overrule.
   *
   * @param overruled whether they were told and want it all the same
   * @return what they overruled, in words; empty if nothing stood against it
   */
  public Optional<String> refuse(Removal removal, boolean overruled) {
    return refuse(against(removal), overruled);
  }

  /**
   * Likewise for what is done at once, on a fresh reading; not inside of any transaction.
   *
   * @return what they overruled, in words; empty if nothing stood against it
   */
  public Optional<String> refuseNow(Removal removal, boolean overruled) {
    read(removal, new Effects.Job(null, null, "by hand", ""), PERSONS_PATIENCE)
        .ifPresent(
            why -> {
              throw Problem.conflict("not-read", why + ".", "Do it again when it answers.");
            });
    return refuse(againstNow(removal), overruled);
  }

  private static Optional<String> refuse(List<Loss> losses, boolean overruled) {
    List<Loss> open = Loss.open(losses, overruled);
    if (!open.isEmpty()) {
      throw Problem.conflict("would-break", sentence(open), remedy(open));
    }
    return losses.isEmpty() ? Optional.empty() : Optional.of(sentence(losses));
  }

  /** What to do when something stands against it. */
  public static String remedy(List<Loss> open) {
    return open.stream().allMatch(Loss::mayBeOverruled)
        ? "Rotate the key instead: the old one is withdrawn when the new one is proven. Or say that it"
            + " is to go all the same: overrule it, with a reason."
        : "Do it again in a moment.";
  }

  /** Losses in words. */
  public static String sentence(List<Loss> losses) {
    return losses.stream().map(Loss::sentence).distinct().collect(Collectors.joining(" "));
  }

  /**
   * Reads what a removal rests on: its account, and what its clients sign in with.
   *
   * @param patience how long to wait for somebody else who is at the account or a seat just now
   * @return why that could not be done now; empty if all was read
   */
  public Optional<String> read(Removal removal, Effects.Job job, Duration patience) {
    long end = System.nanoTime() + patience.toNanos();
    Snapshot snapshot = snapshot(removal);
    List<Effect> looks = new ArrayList<>();
    looks.add(new Effect.LookAtAccount(removal.account()));
    looks.addAll(RotationPlanner.clientsOf(removal.account(), snapshot));
    for (Effect look : looks) {
      Effects.Job reading =
          new Effects.Job(null, job.placement(), job.worker(), look.sentence(snapshot));
      Optional<Outcome> outcome = effects.perform(reading, look);
      while (outcome.isEmpty() && System.nanoTime() - end < 0 && Effects.pause()) {
        outcome = effects.perform(reading, look);
      }
      if (!outcome.equals(Optional.of(Outcome.DONE))) {
        return Optional.of(look.sentence(snapshot) + ": not possible now");
      }
    }
    return Optional.empty();
  }

  /** What stands against it by what was just read. */
  public List<Loss> againstNow(Removal removal) {
    return RemovalPolicy.beforeEffect(removal, snapshot(removal));
  }

  private Snapshot snapshot(Removal removal) {
    return snapshots.ofAccount(
        removal.account().value(),
        removal.keys().stream().map(Fingerprint::value).collect(Collectors.toSet()));
  }
}
