package tolvin.service.look;

import io.quarkus.narayana.jta.QuarkusTransaction;
import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.UUID;
import java.util.concurrent.ConcurrentHashMap;
import tolvin.core.estate.AccountId;
import tolvin.core.estate.SeatId;
import tolvin.core.rotation.Attempt.Outcome;
import tolvin.core.rotation.Effect;
import tolvin.service.effect.Effects;
import tolvin.service.job.JobHandler;
import tolvin.service.job.JobKind;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.integration.SeatStore;

/**
 * Reads each account and each seat soon after it was added, so that what hangs on a key is known.
 */
@ApplicationScoped
class FirstLooks implements JobHandler {
  private static final Duration AGAIN = Duration.ofSeconds(30);
  private static final Duration SOON = Duration.ofSeconds(5);
  private static final int MOST = 50;

  private final AccountStore accounts;
  private final SeatStore seats;
  private final Effects effects;
  private final Map<UUID, Long> notBefore = new ConcurrentHashMap<>();

  FirstLooks(AccountStore accounts, SeatStore seats, Effects effects) {
    this.accounts = accounts;
    this.seats = seats;
    this.effects = effects;
  }

  @Override
  public JobKind kind() {
    return JobKind.FIRST_LOOKS;
  }

  /** Reads a few; where it could not be read, nothing more is tried for a while. */
  @Override
  public Optional<Duration> run(UUID all, Turn turn) {
    boolean any = false;
    Set<UUID> notNow = new HashSet<>();
    notBefore.forEach(
        (destination, until) -> {
          if (System.nanoTime() - until < 0) {
            notNow.add(destination);
          }
        });
    for (Look look : QuarkusTransaction.requiringNew().call(() -> unread(notNow))) {
      if (notNow.contains(look.at()) || turn.isEnding()) {
        continue;
      }
      Effects.Job job = new Effects.Job(null, null, "first look", "Read what is there");
      boolean done = effects.perform(job, look.effect()).filter(Outcome.DONE::equals).isPresent();
      if (!done) {
        notNow.add(look.at());
        notBefore.put(look.at(), System.nanoTime() + AGAIN.toNanos());
      }
      any |= done;
    }
    return Optional.of(any ? Duration.ZERO : notNow.isEmpty() ? AGAIN : SOON);
  }

  /** A reading that is due, and on which destination. */
  private record Look(UUID at, Effect effect) {}

  private List<Look> unread(Set<UUID> notThere) {
    List<Look> looks = new ArrayList<>();
    seats
        .neverRead()
        .forEach(
            s -> looks.add(new Look(s.destinationId, new Effect.LookAtSeat(new SeatId(s.id)))));
    accounts
        .neverRead(notThere, MOST)
        .forEach(
            a ->
                looks.add(
                    new Look(a.destinationId, new Effect.LookAtAccount(new AccountId(a.id)))));
    return looks;
  }
}
