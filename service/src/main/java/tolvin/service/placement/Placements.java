package tolvin.service.placement;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import tolvin.core.authorized.Mark;
import tolvin.core.give.GivenOut;
import tolvin.core.rulebook.Verdict;
import tolvin.service.destination.Access;
import tolvin.service.destination.AccountRow;
import tolvin.service.destination.AccountStore;
import tolvin.service.destination.DestinationRow;
import tolvin.service.destination.DestinationStore;
import tolvin.service.journal.Journal;
import tolvin.service.key.KeyRow;
import tolvin.service.key.KeyStore;
import tolvin.service.rulebook.Judgements;
import tolvin.service.store.ClockStore;
import tolvin.service.web.Checks;
import tolvin.service.web.Problem;

/** Wants placements and their withdrawal; the runner does both. */
@ApplicationScoped
public class Placements {
  private final PlacementStore store;
  private final KeyStore keys;
  private final AccountStore accounts;
  private final DestinationStore destinations;
  private final Judgements judgements;
  private final ClockStore clock;
  private final Journal journal;

  Placements(
      PlacementStore store,
      KeyStore keys,
      AccountStore accounts,
      DestinationStore destinations,
      Judgements judgements,
      ClockStore clock,
      Journal journal) {
    this.store = store;
    this.keys = keys;
    this.accounts = accounts;
    this.destinations = destinations;
    this.judgements = judgements;
    this.clock = clock;
    this.journal = journal;
  }

  /** Wants a key on an account, asked for by a person. */
  @Transactional
  public PlacementRow want(
      UUID keyId, UUID accountId, String title, List<String> sources, Instant endsAt) {
    KeyRow key = keys.get(keyId);
    AccountRow account = accounts.lock(accountId);
    if (key.endedAt != null) {
      throw Problem.conflict(
          "key-ended",
          "The key is out of use: " + key.endedBecause + ".",
          "Register and place another key.");
    }
    if (store.live(keyId, accountId).isPresent()) {
      throw Problem.conflict(
          "placement-exists",
          "The key is on " + account.login + " already, or about to be.",
          "Nothing needs to be done.");
    }
    if (store.liveOnAccounts(List.of(accountId)).size() >= account.holds) {
      throw Problem.conflict(
          "account-full",
          account.login + " holds " + account.holds + " keys and all places are taken.",
          "Withdraw a key that is no longer needed first.");
    }
    String plainTitle = Checks.text(title, "title");
    Limits limits = Limits.asked(sources, endsAt, clock.now());
    refuseByRule(key, account, plainTitle, limits);
    PlacementRow row = want(key, account, null, plainTitle, limits);
    journal.write(
        "placement.wanted",
        row.id,
        "Key " + key.fingerprint + " wanted on " + account.login,
        Map.of("key", key.id.toString(), "account", account.id.toString()));
    return row;
  }

  private void refuseByRule(KeyRow key, AccountRow account, String title, Limits limits) {
    DestinationRow destination = destinations.get(account.destinationId);
    Verdict verdict =
        judgements.at(
            key,
            Judgements.place(destination, title, limits.sources(), clock.now(), limits.endsAt()));
    Judgements.refuse(verdict);
  }

  /** Adds a wanted placement with a line and a mark of its own. */
  @Transactional(Transactional.TxType.MANDATORY)
  public PlacementRow want(
      KeyRow key, AccountRow account, UUID rotation, String title, Limits limits) {
    Instant now = clock.now();
    PlacementRow row = new PlacementRow();
    row.id = clock.id(now);
    row.keyId = key.id;
    row.accountId = account.id;
    row.rotationId = rotation;
    row.state = "wanted";
    row.title = title;
    row.purpose = "sign-in";
    row.mark = Mark.make(clock.random()).value();
    row.sources = limits.sources();
    row.endsAt = limits.endsAt();
    row.line =
        GivenOut.authorizedLine(Access.key(key.blob), title + " " + row.mark, limits.options());
    row.wantedAt = now;
    row.nextLookAt = now;
    return store.add(row);
  }

  /** Wants a placement withdrawn, or gives up one that was never placed. */
  @Transactional
  PlacementRow withdraw(UUID id, String reason) {
    PlacementRow row = store.lock(id);
    if (row.state.equals("withdrawn") || row.state.equals("withdrawing")) {
      return row;
    }
    Instant now = clock.now();
    if (row.state.equals("wanted") && row.placedAt == null) {
      row.placedAt = now; // it may stand there already: whatever is there is taken out
    }
    row.state = "withdrawing";
    row.reason = null;
    row.nextLookAt = now;
    journal.write(
        "placement.withdrawal-wanted",
        id,
        "Withdrawal wanted: " + row.title,
        Map.of("reason", Checks.text(reason, "reason")));
    return row;
  }
}
