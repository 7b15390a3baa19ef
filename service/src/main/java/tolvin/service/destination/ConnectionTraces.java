package tolvin.service.destination;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Duration;
import java.time.Instant;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.UUID;
import tolvin.core.key.Fingerprint;
import tolvin.core.signin.ConnectionEvent;
import tolvin.core.signin.ConnectionEvent.Refusal;
import tolvin.core.signin.ConnectionEvent.SignIn;
import tolvin.core.signin.LoggedLine;

/**
 * What lines tell of connections beside that a key was used: how long they last, and whether their
 * client goes on with another key after one was refused. Lines that come again change nothing.
 */
@ApplicationScoped
class ConnectionTraces {
  /** A connection whose end was never told is forgotten after this time. */
  private static final Duration FORGOTTEN_AFTER = Duration.ofDays(40);

  private final FeedStore feeds;

  ConnectionTraces(FeedStore feeds) {
    this.feeds = feeds;
  }

  private record Peer(String address, int port) {
    static Peer of(ConnectionEvent event) {
      return new Peer(event.address(), event.port());
    }
  }

  private record Use(String user, String key, String address) {}

  private record Open(Use use, Instant at) {}

  /**
   * Takes lines in, in their order.
   *
   * @param byLogin the accounts that sign in there
   * @param seenSince as for uses: since when on lines cannot have been there
   */
  @Transactional(Transactional.TxType.MANDATORY)
  void take(
      UUID destination,
      Map<String, List<AccountRow>> byLogin,
      List<LoggedLine> lines,
      Optional<Instant> seenSince,
      Instant now) {
    Map<Peer, Open> open = new HashMap<>();
    Map<Peer, Set<Fingerprint>> refused = new HashMap<>();
    Map<Use, Duration> runs = new HashMap<>();
    Set<Use> fellBack = new HashSet<>();
    for (LoggedLine line : lines) {
      ConnectionEvent event = line.event();
      Peer peer = Peer.of(event);
      if (event instanceof Refusal refusal) {
        refused.computeIfAbsent(peer, p -> new HashSet<>()).add(refusal.key());
      } else if (event instanceof SignIn signIn) {
        Use use = new Use(signIn.user(), signIn.key().value(), signIn.address());
        Set<Fingerprint> before = refused.remove(peer);
        if (before != null && before.stream().anyMatch(key -> !key.equals(signIn.key()))) {
          fellBack.add(use);
        }
        open.put(peer, new Open(use, line.at().or(() -> seenSince).orElse(now)));
      } else {
        Instant end = line.at().orElse(now);
        Optional.ofNullable(open.remove(peer))
            .or(() -> remembered(destination, event))
            .filter(o -> o.use().user().equals(event.user()) && !end.isBefore(o.at()))
            .ifPresent(
                o ->
                    runs.merge(
                        o.use(),
                        Duration.between(o.at(), end),
                        (a, b) -> a.compareTo(b) >= 0 ? a : b));
      }
    }
    open.forEach((peer, o) -> remember(destination, byLogin, peer, o));
    feeds.forgetOpen(destination, now.minus(FORGOTTEN_AFTER));
    runs.forEach(
        (use, run) ->
            rows(byLogin, use)
                .forEach(
                    r -> r.longestRunSeconds = Math.max(r.longestRunSeconds, run.toSeconds())));
    fellBack.forEach(use -> rows(byLogin, use).forEach(r -> r.fellBackAt = now));
  }

  private Optional<Open> remembered(UUID destination, ConnectionEvent event) {
    return feeds
        .endOpen(destination, event.address(), event.port())
        .map(o -> new Open(new Use(o.login(), o.fingerprint(), event.address()), o.at()));
  }

  /** Only of accounts that are known: nobody asks how long anybody else's connections last. */
  private void remember(
      UUID destination, Map<String, List<AccountRow>> byLogin, Peer peer, Open o) {
    if (byLogin.containsKey(o.use().user())) {
      feeds.keepOpen(
          destination,
          peer.address(),
          peer.port(),
          new FeedStore.OpenConnection(o.use().user(), o.use().key(), o.at()));
    }
  }

  /** The uses on record; Tolvin's own sign-ins are not. */
  private List<UseRow> rows(Map<String, List<AccountRow>> byLogin, Use use) {
    return byLogin.getOrDefault(use.user(), List.of()).stream()
        .flatMap(account -> feeds.use(account.id, use.key(), use.address()).stream())
        .toList();
  }
}
