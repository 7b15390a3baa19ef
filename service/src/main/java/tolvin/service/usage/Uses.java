package tolvin.service.usage;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Duration;
import java.time.Instant;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.UUID;
import java.util.stream.Collectors;
import tolvin.core.estate.PlacementState;
import tolvin.core.signin.ConnectionEvent.SignIn;
import tolvin.core.signin.LineSet;
import tolvin.core.signin.LoggedLine;
import tolvin.service.destination.Access;
import tolvin.service.journal.Journal;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.placement.PlacementRow;
import tolvin.service.record.placement.PlacementStore;
import tolvin.service.record.placement.TrialRow;
import tolvin.service.record.usage.FeedStore;
import tolvin.service.record.usage.UseElsewhereRow;
import tolvin.service.record.usage.UseRow;
import tolvin.service.store.ClockStore;

/**
 * Counts the uses that logs tell of, whichever way they came: followed over SFTP, read in by a
 * person, or sent by a server. A line that tells its time counts once, however often it comes.
 */
@ApplicationScoped
public class Uses {
  private static final Duration TRIALS_SHOW_WITHIN = Duration.ofMinutes(10);

  /** How long lines are remembered; older ones are not taken in. */
  static final Duration REMEMBERED = Duration.ofDays(400);

  private final FeedStore feeds;
  private final DestinationStore destinations;
  private final AccountStore accounts;
  private final PlacementStore placements;
  private final KeyStore keys;
  private final Journal journal;
  private final ConnectionTraces connections;
  private final SharedLogins shared;
  private final ClockStore clock;

  Uses(
      FeedStore feeds,
      DestinationStore destinations,
      AccountStore accounts,
      PlacementStore placements,
      KeyStore keys,
      Journal journal,
      ConnectionTraces connections,
      SharedLogins shared,
      ClockStore clock) {
    this.feeds = feeds;
    this.destinations = destinations;
    this.accounts = accounts;
    this.placements = placements;
    this.keys = keys;
    this.journal = journal;
    this.connections = connections;
    this.shared = shared;
    this.clock = clock;
  }

  /**
   * What came of some lines.
   *
   * @param counted uses that were counted
   * @param again lines that were counted before
   * @param timeless lines without a time, which could not be told from ones counted before
   * @param tooOld lines from before what is remembered
   * @param unknownAccounts uses on accounts that are not on record, counted too
   * @param clients who signed in to accounts that are on record
   */
  public record Taken(
      long counted,
      long again,
      long timeless,
      long tooOld,
      long unknownAccounts,
      Set<SignInMoments.Client> clients) {

    /** The accounts that were signed in to. */
    public Set<UUID> accounts() {
      return clients.stream().map(SignInMoments.Client::account).collect(Collectors.toSet());
    }
  }

  private record Use(String user, String key, String address) {}

  /** What lines of the same use come to. */
  private static final class Sum {
    private Instant first = Instant.MAX;
    private Instant latest = Instant.MIN;

    /** When the last one was at the earliest. */
    private Instant earliestOfLatest = Instant.MIN;

    private long count;

    /** The longest silence between two of them, and the moment of the last one. */
    private Duration longestGap = Duration.ZERO;

    private Instant moment = Instant.MIN;

    void add(Instant earliest, Instant until, Instant told) {
      if (told.isAfter(moment)) {
        if (count > 0) {
          longestGap = longer(longestGap, Duration.between(moment, told));
        }
        moment = told;
      }
      first = earliest.isBefore(first) ? earliest : first;
      if (!until.isBefore(latest)) {
        latest = until;
        earliestOfLatest = earliest;
      }
      count++;
    }
  }

  /**
   * Takes lines in.
   *
   * @param logged what the log says
   * @param origin how they came; lines that were not followed may be of any age, and are dated by
   *     what they say themselves
   */
  @Transactional
  public Taken take(UUID destination, List<LoggedLine> logged, UseOrigin origin, Instant now) {
    if (logged.isEmpty()) {
      return new Taken(0, 0, 0, 0, 0, Set.of());
    }
    feeds.oneAtATime(destination);
    List<LoggedLine> lines = shared.told(destination, logged);
    Instant oldest = now.minus(REMEMBERED);
    List<LoggedLine> fresh = new ArrayList<>();
    Map<Instant, List<LoggedLine>> byHour = new TreeMap<>();
    long timeless = 0;
    long tooOld = 0;
    for (LoggedLine line : lines) {
      if (line.signIn().isEmpty()) {
        continue; // it tells of a connection, not of a use
      }
      if (line.digest() == 0) {
        if (origin.seenSince().isPresent()) {
          fresh.add(line);
        } else {
          timeless++;
        }
      } else if (line.at().orElseThrow().isBefore(oldest)) {
        tooOld++;
      } else {
        byHour
            .computeIfAbsent(
                line.at().orElseThrow().truncatedTo(ChronoUnit.HOURS), h -> new ArrayList<>())
            .add(line);
      }
    }
    long again = 0;
    for (Map.Entry<Instant, List<LoggedLine>> hour : byHour.entrySet()) {
      again += newOnes(destination, hour.getKey(), hour.getValue(), fresh);
    }
    Map<String, List<AccountRow>> byLogin = accounts.signingInAt(destination, logins(lines));
    UseBook book = new UseBook(feeds, origin.way() == UseOrigin.Way.READ_IN);
    book.open(ids(byLogin), fingerprints(lines));
    byte[] connectionKey = destinations.get(destination).connectionKey;
    String itself = connectionKey == null ? "" : Access.key(connectionKey).fingerprintText();
    Taken taken =
        count(destination, byLogin, book, fresh, origin, itself, now, again, timeless, tooOld);
    connections.take(destination, byLogin, lines, origin, itself, now);
    return taken;
  }

  private static Set<String> logins(List<LoggedLine> lines) {
    return lines.stream().map(line -> line.event().user()).collect(Collectors.toSet());
  }

  private static Set<String> fingerprints(List<LoggedLine> lines) {
    return lines.stream()
        .flatMap(line -> line.signIn().stream())
        .map(signIn -> signIn.key().value())
        .collect(Collectors.toSet());
  }

  static Set<UUID> ids(Map<String, List<AccountRow>> byLogin) {
    return byLogin.values().stream()
        .flatMap(List::stream)
        .map(a -> a.id)
        .collect(Collectors.toSet());
  }

  static Duration longer(Duration one, Duration other) {
    return one.compareTo(other) >= 0 ? one : other;
  }

  private long newOnes(
      UUID destination, Instant hour, List<LoggedLine> lines, List<LoggedLine> fresh) {
    LineSet counted = feeds.counted(destination, hour);
    Set<Long> here = new java.util.HashSet<>();
    for (LoggedLine line : lines) {
      if (!counted.has(line.digest()) && here.add(line.digest())) {
        fresh.add(line);
      }
    }
    if (!here.isEmpty()) {
      feeds.keepCounted(
          destination, hour, counted.with(here.stream().mapToLong(Long::longValue).toArray()));
    }
    return lines.size() - here.size();
  }

  private Taken count(
      UUID destination,
      Map<String, List<AccountRow>> byLogin,
      UseBook book,
      List<LoggedLine> fresh,
      UseOrigin origin,
      String itself,
      Instant now,
      long again,
      long timeless,
      long tooOld) {
    Optional<Instant> seenSince = origin.seenSince();
    OwnTrials own = new OwnTrials(byLogin, now);
    Map<Use, Sum> sums = new HashMap<>();
    long counted = 0;
    for (LoggedLine line : fresh) {
      SignIn signIn = line.signIn().orElseThrow();
      if (signIn.key().value().equals(itself)) {
        continue; // Tolvin's own work there
      }
      counted++;
      Instant said = line.at().filter(at -> at.isBefore(now)).orElse(now);
      if (own.isOne(signIn, seenSince.isPresent() ? now : said, now)) {
        continue;
      }
      sums.computeIfAbsent(
              new Use(signIn.user(), signIn.key().value(), signIn.address()), u -> new Sum())
          .add(seenSince.orElse(said), seenSince.isPresent() ? now : said, said);
    }
    Placed placed = new Placed(sums.keySet(), byLogin);
    Map<Use, Sum> elsewhere = new HashMap<>();
    Set<SignInMoments.Client> clients = new java.util.HashSet<>();
    for (Map.Entry<Use, Sum> sum : sums.entrySet()) {
      List<AccountRow> known = byLogin.getOrDefault(sum.getKey().user(), List.of());
      for (AccountRow account : known) {
        record(account, sum.getKey(), sum.getValue(), book, placed, origin, now);
        clients.add(new SignInMoments.Client(account.id, sum.getKey().address()));
      }
      if (known.isEmpty()) {
        elsewhere.put(sum.getKey(), sum.getValue());
      }
    }
    recordElsewhere(destination, elsewhere, now);
    long unknown = elsewhere.values().stream().mapToLong(sum -> sum.count).sum();
    return new Taken(counted, again, timeless, tooOld, unknown, clients);
  }

  private void record(
      AccountRow account,
      Use use,
      Sum sum,
      UseBook book,
      Placed placed,
      UseOrigin origin,
      Instant now) {
    UseRow row = book.findOrNew(clock.id(now), account.id, use.key(), use.address(), sum.first);
    Duration gap = sum.longestGap;
    if (row.count > 0 && sum.first.isAfter(row.latest) && origin.watched(row.latest)) {
      gap = longer(gap, Duration.between(row.latest, sum.first));
    }
    if (gap.toSeconds() > 0) {
      feeds.learnGap(account.id, use.address(), gap.toSeconds());
    }
    if (sum.latest.isAfter(row.latest)) {
      row.earliest = sum.earliestOfLatest;
      row.latest = sum.latest;
    }
    row.firstAt = sum.first.isBefore(row.firstAt) ? sum.first : row.firstAt;
    row.count += sum.count;
    placed
        .of(use.key(), account.id)
        .filter(p -> !sum.latest.isBefore(p.placedAt))
        .filter(p -> origin.way() != UseOrigin.Way.READ_IN)
        .ifPresent(
            p -> {
              p.proven(sum.latest);
              journal.write(
                  "placement.seat-proof",
                  p.id,
                  use.key() + " was used on " + account.login + " from " + use.address(),
                  Map.of());
            });
  }

  private void recordElsewhere(UUID destination, Map<Use, Sum> sums, Instant now) {
    Map<Use, UseElsewhereRow> rows = new HashMap<>();
    feeds
        .usesElsewhere(
            destination,
            sums.keySet().stream().map(Use::user).collect(Collectors.toSet()),
            sums.keySet().stream().map(Use::key).collect(Collectors.toSet()))
        .forEach(row -> rows.put(new Use(row.login, row.fingerprint, row.address), row));
    sums.forEach(
        (use, sum) -> {
          UseElsewhereRow row = rows.get(use);
          if (row == null) {
            row = new UseElsewhereRow();
            row.id = clock.id(now);
            row.destinationId = destination;
            row.login = use.user();
            row.fingerprint = use.key();
            row.address = use.address();
            row.firstAt = sum.first;
            row.latest = sum.first;
            feeds.add(row);
          }
          row.latest = sum.latest.isAfter(row.latest) ? sum.latest : row.latest;
          row.count += sum.count;
        });
  }

  /** The placements that wait for a use as their proof, by key and account. */
  private final class Placed {
    private final Map<String, PlacementRow> rows = new HashMap<>();

    Placed(Set<Use> uses, Map<String, List<AccountRow>> byLogin) {
      Map<UUID, String> live =
          keys.everAmong(uses.stream().map(Use::key).collect(Collectors.toSet())).stream()
              .filter(k -> k.endedAt == null)
              .collect(Collectors.toMap(k -> k.id, k -> k.fingerprint));
      placements.liveOnAccounts(ids(byLogin)).stream()
          .filter(p -> live.containsKey(p.keyId))
          .forEach(p -> rows.put(live.get(p.keyId) + " " + p.accountId, p));
    }

    Optional<PlacementRow> of(String key, UUID account) {
      return Optional.ofNullable(rows.get(key + " " + account))
          .filter(p -> p.state == PlacementState.PLACED);
    }
  }

  /** Tolvin's own trials of the last minutes, by account and the client's port. */
  private final class OwnTrials {
    private final Map<String, List<TrialRow>> byPlace = new HashMap<>();
    private final Instant since;

    OwnTrials(Map<String, List<AccountRow>> byLogin, Instant now) {
      since = now.minus(TRIALS_SHOW_WITHIN);
      Map<UUID, String> logins = new HashMap<>();
      byLogin.forEach((login, rows) -> rows.forEach(a -> logins.put(a.id, login)));
      for (TrialRow trial : placements.trialsSince(since)) {
        String login = logins.get(trial.accountId);
        if (login != null && trial.localPort > 0) {
          byPlace.computeIfAbsent(login + " " + trial.localPort, p -> new ArrayList<>()).add(trial);
        }
      }
    }

    boolean isOne(SignIn signIn, Instant at, Instant now) {
      if (at.isBefore(since)) {
        return false;
      }
      List<TrialRow> own = byPlace.getOrDefault(signIn.user() + " " + signIn.port(), List.of());
      own.forEach(trial -> trial.seenAt = now);
      return !own.isEmpty();
    }
  }
}
