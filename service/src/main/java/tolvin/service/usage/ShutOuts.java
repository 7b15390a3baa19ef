package tolvin.service.usage;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Duration;
import java.time.Instant;
import java.util.Comparator;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.UUID;
import java.util.stream.Collectors;
import tolvin.core.estate.SignInMode;
import tolvin.core.key.Fingerprint;
import tolvin.core.signin.ConnectionEvent;
import tolvin.core.signin.ConnectionEvent.Refusal;
import tolvin.core.signin.ConnectionEvent.SignIn;
import tolvin.core.signin.LoggedLine;
import tolvin.service.job.JobKind;
import tolvin.service.job.Jobs;
import tolvin.service.journal.Journal;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.placement.PlacementRow;
import tolvin.service.record.placement.PlacementStore;
import tolvin.service.record.usage.FeedStore;
import tolvin.service.record.usage.UseRow;

/**
 * Finds out that a key which let in before is refused since another one was placed beside it, where
 * Tolvin has no private key to try that with: by what the server's log says of the clients' own
 * sign-ins. The new one is then taken back.
 *
 * <p>Anybody can offer a public key and be refused with it, so only refusals from an address that
 * signed in with that key before count. A new key that somebody signs in with stays.
 */
@ApplicationScoped
class ShutOuts {
  /** How long after a placing it is suspected: a nightly client comes once. */
  private static final Duration SUSPECTED = Duration.ofHours(25);

  /** What was not used for so long is not missed. */
  private static final Duration USED_WITHIN = Duration.ofDays(90);

  private final FeedStore feeds;
  private final PlacementStore placements;
  private final KeyStore keys;
  private final Jobs jobs;
  private final Journal journal;

  ShutOuts(FeedStore feeds, PlacementStore placements, KeyStore keys, Jobs jobs, Journal journal) {
    this.feeds = feeds;
    this.placements = placements;
    this.keys = keys;
    this.jobs = jobs;
    this.journal = journal;
  }

  /** A client with a key. */
  private record Client(UUID account, String key, String address) {
    static Client of(UseRow use) {
      return new Client(use.accountId, use.fingerprint, use.address);
    }
  }

  /**
   * Looks at what a log says now, which the uses in it are on record of already.
   *
   * @param byLogin the accounts that sign in there
   */
  @Transactional(Transactional.TxType.MANDATORY)
  void look(Map<String, List<AccountRow>> byLogin, List<LoggedLine> lines, Instant now) {
    Set<Client> refused = refused(byLogin, lines);
    if (refused.isEmpty()) {
      return;
    }
    Set<UUID> where = refused.stream().map(Client::account).collect(Collectors.toSet());
    List<PlacementRow> live = placements.liveOnAccounts(where);
    List<PlacementRow> suspects =
        live.stream()
            .filter(p -> p.state.isThere() && p.placedAt != null)
            .filter(p -> p.placedAt.isAfter(now.minus(SUSPECTED)))
            .toList();
    if (suspects.isEmpty()) {
      return; // the usual: strangers try keys all the time
    }
    Map<UUID, AccountRow> accounts =
        byLogin.values().stream()
            .flatMap(List::stream)
            .collect(Collectors.toMap(account -> account.id, account -> account, (a, b) -> a));
    Set<String> named = refused.stream().map(Client::key).collect(Collectors.toSet());
    for (UseRow before : feeds.usesOf(where, named)) {
      AccountRow account = accounts.get(before.accountId);
      boolean isClient =
          !before.readIn
              && before.latest.isAfter(now.minus(USED_WITHIN))
              && refused.contains(Client.of(before));
      if (isClient && isMeantToBeThere(account, before.fingerprint, live)) {
        suspect(suspects, before).ifPresent(p -> takeBack(p, account, before, now));
      }
    }
  }

  /** Who was refused, and did not come in with the same key. */
  private static Set<Client> refused(
      Map<String, List<AccountRow>> byLogin, List<LoggedLine> lines) {
    Set<Client> refused = new HashSet<>();
    for (LoggedLine line : lines) {
      if (line.event() instanceof Refusal refusal) {
        refused.addAll(clients(byLogin, refusal, refusal.key()));
      } else if (line.event() instanceof SignIn signIn) {
        refused.removeAll(clients(byLogin, signIn, signIn.key()));
      }
    }
    return refused;
  }

  private static List<Client> clients(
      Map<String, List<AccountRow>> byLogin, ConnectionEvent event, Fingerprint key) {
    return byLogin.getOrDefault(event.user(), List.of()).stream()
        .map(account -> new Client(account.id, key.value(), event.address()))
        .toList();
  }

  /**
   * Whether a key was seen on the account when it was read last, nobody is taking it out, and the
   * account is signed in to by keys.
   */
  private boolean isMeantToBeThere(AccountRow account, String key, List<PlacementRow> live) {
    boolean isSeen =
        account.signInMode != SignInMode.PASSWORD
            && account.registered != null
            && account.registered.stream().anyMatch(e -> e.key().equals(key) && !e.ignored());
    Set<UUID> ids =
        keys.everAmong(Set.of(key)).stream().map(row -> row.id).collect(Collectors.toSet());
    return isSeen
        && live.stream()
            .filter(p -> p.accountId.equals(account.id) && ids.contains(p.keyId))
            .allMatch(p -> p.state.isThere());
  }

  /**
   * The last key that was placed beside it since it was used, and that nobody uses. A use lies
   * between two readings of the log; one that may have been before the placing counts as such.
   */
  private Optional<PlacementRow> suspect(List<PlacementRow> suspects, UseRow before) {
    return suspects.stream()
        .filter(p -> p.accountId.equals(before.accountId) && p.placedAt.isAfter(before.earliest))
        .filter(p -> p.takenBackBecause == null)
        .filter(p -> !keys.get(p.keyId).fingerprint.equals(before.fingerprint))
        .filter(p -> !isUsed(p))
        .max(Comparator.comparing(p -> p.placedAt));
  }

  private boolean isUsed(PlacementRow placement) {
    KeyRow key = keys.get(placement.keyId);
    return feeds.usesOf(Set.of(placement.accountId), Set.of(key.fingerprint)).stream()
        .anyMatch(use -> !use.latest.isBefore(placement.placedAt));
  }

  private void takeBack(PlacementRow placement, AccountRow account, UseRow before, Instant now) {
    PlacementRow row = placements.lock(placement.id);
    row.takenBackBecause =
        before.fingerprint
            + " let "
            + account.login
            + " in from "
            + before.address
            + " until "
            + before.latest
            + ", and is refused since this key was placed beside it.";
    jobs.add(JobKind.TAKE_BACK, row.id, now);
    journal.write("placement.shut-out", row.id, row.takenBackBecause, Map.of());
  }
}
