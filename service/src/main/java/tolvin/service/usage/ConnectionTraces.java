package tolvin.service.usage;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Duration;
import java.time.Instant;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.UUID;
import tolvin.core.key.Fingerprint;
import tolvin.core.signin.ConnectionEvent;
import tolvin.core.signin.ConnectionEvent.Refusal;
import tolvin.core.signin.ConnectionEvent.SignIn;
import tolvin.core.signin.LoggedLine;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.usage.FeedStore;

/**
 * What lines tell of connections beside that a key was used: how long they last, whether their
 * client goes on with another key after one was refused, and whether a key is refused that let in
 * before. Lines that come again change nothing.
 */
@ApplicationScoped
class ConnectionTraces {
  /** A connection whose end was never told is forgotten after this time. */
  private static final Duration FORGOTTEN_AFTER = Duration.ofDays(40);

  private final FeedStore feeds;
  private final ShutOuts shutOuts;

  ConnectionTraces(FeedStore feeds, ShutOuts shutOuts) {
    this.feeds = feeds;
    this.shutOuts = shutOuts;
  }

  private record Peer(String address, int port) {
    static Peer of(ConnectionEvent event) {
      return new Peer(event.address(), event.port());
    }
  }

  private record Use(String user, String key, String address) {}

  private record Open(Use use, Instant at) {}

  private record End(String user, Instant at) {}

  /**
   * Takes lines in, in their order.
   *
   * @param byLogin the accounts that sign in there
   * @param origin how they came
   * @param itself the fingerprint of the key that Tolvin itself works there with
   */
  @Transactional(Transactional.TxType.MANDATORY)
  void take(
      UUID destination,
      Map<String, List<AccountRow>> byLogin,
      List<LoggedLine> lines,
      UseOrigin origin,
      String itself,
      Instant now) {
    Map<Peer, Open> open = new HashMap<>();
    Map<Peer, End> endedBegunBefore = new HashMap<>();
    Map<Peer, Set<Fingerprint>> refused = new HashMap<>();
    Map<Use, Duration> runs = new HashMap<>();
    Set<Use> fellBack = new HashSet<>();
    for (LoggedLine line : lines) {
      ConnectionEvent event = line.event();
      Peer peer = Peer.of(event);
      if (event instanceof SignIn own && own.key().value().equals(itself)) {
        continue; // Tolvin's own work there
      }
      if (event instanceof Refusal refusal) {
        refused.computeIfAbsent(peer, p -> new HashSet<>()).add(refusal.key());
      } else if (event instanceof SignIn signIn) {
        Use use = new Use(signIn.user(), signIn.key().value(), signIn.address());
        Set<Fingerprint> before = refused.remove(peer);
        if (before != null && before.stream().anyMatch(key -> !key.equals(signIn.key()))) {
          fellBack.add(use);
        }
        open.put(peer, new Open(use, line.at().or(origin::seenSince).orElse(now)));
      } else if (byLogin.containsKey(event.user())) {
        Instant end = line.at().orElse(now);
        Open begun = open.remove(peer);
        if (begun == null) {
          endedBegunBefore.put(peer, new End(event.user(), end));
        } else {
          run(begun, new End(event.user(), end), origin, runs);
        }
      }
    }
    List<FeedStore.OpenConnection> asked =
        endedBegunBefore.keySet().stream()
            .map(p -> new FeedStore.OpenConnection(p.address(), p.port(), null, null, null))
            .toList();
    List<FeedStore.OpenConnection> ended = feeds.endOpen(destination, asked);
    for (FeedStore.OpenConnection o : ended) {
      run(
          new Open(new Use(o.login(), o.fingerprint(), o.address()), o.at()),
          endedBegunBefore.get(new Peer(o.address(), o.port())),
          origin,
          runs);
    }
    feeds.keepOpen(destination, remembered(byLogin, open));
    feeds.forgetOpen(destination, now.minus(FORGOTTEN_AFTER));
    runs.forEach(
        (use, run) ->
            accounts(byLogin, use)
                .forEach(id -> feeds.learnRun(id, use.address(), run.toSeconds())));
    fellBack.forEach(
        use -> accounts(byLogin, use).forEach(id -> feeds.learnFallBack(id, use.address(), now)));
    if (origin.way() == UseOrigin.Way.FOLLOWED) { // others could send what is not true
      shutOuts.look(byLogin, lines, now);
    }
  }

  /** A connection that began before the log was watched lasted nobody knows how long. */
  private static void run(Open begun, End end, UseOrigin origin, Map<Use, Duration> runs) {
    if (begun.use().user().equals(end.user())
        && !end.at().isBefore(begun.at())
        && origin.watched(begun.at())) {
      runs.merge(begun.use(), Duration.between(begun.at(), end.at()), Uses::longer);
    }
  }

  /** Only of accounts that are known: nobody asks how long anybody else's connections last. */
  private static List<FeedStore.OpenConnection> remembered(
      Map<String, List<AccountRow>> byLogin, Map<Peer, Open> open) {
    return open.entrySet().stream()
        .filter(one -> byLogin.containsKey(one.getValue().use().user()))
        .map(
            one ->
                new FeedStore.OpenConnection(
                    one.getKey().address(),
                    one.getKey().port(),
                    one.getValue().use().user(),
                    one.getValue().use().key(),
                    one.getValue().at()))
        .toList();
  }

  private static List<UUID> accounts(Map<String, List<AccountRow>> byLogin, Use use) {
    return byLogin.getOrDefault(use.user(), List.of()).stream().map(a -> a.id).toList();
  }
}
