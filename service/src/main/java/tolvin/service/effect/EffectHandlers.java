package tolvin.service.effect;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Instant;
import tolvin.core.port.Lease;
import tolvin.core.port.PortException;
import tolvin.core.rotation.Effect;

/** What each effect is in the world, and what is recorded of it. */
@ApplicationScoped
class EffectHandlers {
  private final PairEffects pairs;
  private final AccountEffects accounts;
  private final SeatEffects seats;
  private final TrialEffects trials;

  EffectHandlers(
      PairEffects pairs, AccountEffects accounts, SeatEffects seats, TrialEffects trials) {
    this.pairs = pairs;
    this.accounts = accounts;
    this.seats = seats;
    this.trials = trials;
  }

  /** What is recorded when the effect was done and read back; runs in a transaction. */
  @FunctionalInterface
  interface Recording {
    void record();
  }

  /** What has to be on record before the effect; runs in the attempt's transaction. */
  void prepare(Effects.Job job, Effect effect) {
    if (effect instanceof Effect.Place place) {
      accounts.beforePlacing(job, place);
    } else if (effect instanceof Effect.Withdraw withdraw) {
      accounts.beforeWithdrawing(job, withdraw);
    } else if (effect instanceof Effect.Supply supply) {
      seats.beforeSupplying(supply);
    }
  }

  /** Reads what an effect may have changed. */
  Recording look(Effect look) throws PortException {
    return look instanceof Effect.LookAtAccount account
        ? accounts.look(account)
        : seats.look((Effect.LookAtSeat) look);
  }

  /** Does it, outside of any transaction. */
  Recording perform(Effects.Job job, Effect effect, Lease lease, Instant begun)
      throws PortException {
    if (effect instanceof Effect.Generate) {
      return pairs.make(job);
    }
    if (effect instanceof Effect.Destroy destroy) {
      return pairs.destroy(job, destroy);
    }
    if (effect instanceof Effect.LookAtAccount || effect instanceof Effect.LookAtSeat) {
      return look(effect);
    }
    if (effect instanceof Effect.Place place) {
      return accounts.place(job, place, lease, begun);
    }
    if (effect instanceof Effect.Prove prove) {
      return trials.prove(job, prove, begun);
    }
    if (effect instanceof Effect.Withdraw withdraw) {
      return accounts.withdraw(job, withdraw, lease, begun);
    }
    if (effect instanceof Effect.Supply supply) {
      return seats.supply(job, supply, lease);
    }
    if (effect instanceof Effect.Reload told) {
      return seats.tell(job, told, lease);
    }
    if (effect instanceof Effect.ProveSeat tried) {
      return seats.attempt(job, tried, begun);
    }
    return seats.clear(job, (Effect.Clear) effect, lease);
  }
}
