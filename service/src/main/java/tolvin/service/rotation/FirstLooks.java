package tolvin.service.rotation;

import io.quarkus.narayana.jta.QuarkusTransaction;
import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import tolvin.core.estate.AccountId;
import tolvin.core.estate.SeatId;
import tolvin.core.rotation.Attempt.Outcome;
import tolvin.core.rotation.Effect;
import tolvin.service.destination.AccountStore;
import tolvin.service.integration.SeatStore;

/**
 * Reads each account and each seat soon after it was added, so that what hangs on a key is known.
 */
@ApplicationScoped
class FirstLooks {
  private static final Duration AGAIN = Duration.ofSeconds(30);

  private final AccountStore accounts;
  private final SeatStore seats;
  private final Effects effects;
  private final Map<String, Long> notBefore = new ConcurrentHashMap<>();

  FirstLooks(AccountStore accounts, SeatStore seats, Effects effects) {
    this.accounts = accounts;
    this.seats = seats;
    this.effects = effects;
  }

  void look() {
    for (Effect effect : QuarkusTransaction.requiringNew().call(this::unread)) {
      long now = System.nanoTime();
      if (now - notBefore.getOrDefault(effect.name(), now) >= 0) {
        Effects.Job job = new Effects.Job(null, null, "first look", "Read what is there");
        boolean done = effects.perform(job, effect).filter(Outcome.DONE::equals).isPresent();
        if (done) {
          notBefore.remove(effect.name());
        } else {
          notBefore.put(effect.name(), now + AGAIN.toNanos());
        }
      }
    }
  }

  private List<Effect> unread() {
    List<Effect> looks = new ArrayList<>();
    accounts.neverRead().forEach(a -> looks.add(new Effect.LookAtAccount(new AccountId(a.id))));
    seats.neverRead().forEach(s -> looks.add(new Effect.LookAtSeat(new SeatId(s.id))));
    return looks;
  }
}
