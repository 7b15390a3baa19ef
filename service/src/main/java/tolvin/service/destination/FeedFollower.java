package tolvin.service.destination;

import io.quarkus.narayana.jta.QuarkusTransaction;
import io.quarkus.runtime.ShutdownEvent;
import io.quarkus.runtime.StartupEvent;
import jakarta.enterprise.context.ApplicationScoped;
import jakarta.enterprise.event.Observes;
import java.time.Duration;
import java.time.Instant;
import java.util.Optional;
import java.util.UUID;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.TimeUnit;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import org.jboss.logging.Logger;
import tolvin.core.port.Login;
import tolvin.core.port.PortException;
import tolvin.core.port.UsePort;
import tolvin.service.journal.Journal;
import tolvin.service.rotation.RotationStore;
import tolvin.service.rotation.Runner;
import tolvin.service.store.ClockStore;

/**
 * Follows the sign-in logs of all destinations: one reader for each log at a time, on whichever
 * instance; often while a rotation waits for news, now and then otherwise.
 *
 * <p>A log tells no trustworthy time, so a use lies between the beginning of the reading before,
 * which did not show it, and the end of the one that did.
 */
@ApplicationScoped
public class FeedFollower {
  private static final Logger LOG = Logger.getLogger(FeedFollower.class);
  private static final Duration LEASE = Duration.ofSeconds(15);
  private static final Duration OFTEN = Duration.ofMillis(400);
  private static final Duration NOW_AND_THEN = Duration.ofSeconds(5);
  private static final Duration AFTER_FAILURE = Duration.ofSeconds(10);

  private final FeedStore feeds;
  private final DestinationStore destinations;
  private final AccountStore accounts;
  private final RotationStore rotations;
  private final Runner runner;
  private final Access access;
  private final UsePort usePort;
  private final Uses uses;
  private final SignInMoments moments;
  private final Journal journal;
  private final ClockStore clock;
  private final boolean enabled;
  private final ScheduledExecutorService timer =
      Executors.newScheduledThreadPool(2, task -> new Thread(task, "feeds"));

  FeedFollower(
      FeedStore feeds,
      DestinationStore destinations,
      AccountStore accounts,
      RotationStore rotations,
      Runner runner,
      Access access,
      UsePort usePort,
      Uses uses,
      SignInMoments moments,
      Journal journal,
      ClockStore clock,
      @ConfigProperty(name = "tolvin.runner.enabled") boolean enabled) {
    this.feeds = feeds;
    this.destinations = destinations;
    this.accounts = accounts;
    this.rotations = rotations;
    this.runner = runner;
    this.access = access;
    this.usePort = usePort;
    this.uses = uses;
    this.moments = moments;
    this.journal = journal;
    this.clock = clock;
    this.enabled = enabled;
  }

  void start(@Observes StartupEvent event) {
    if (enabled) {
      for (int i = 0; i < 2; i++) {
        timer.scheduleWithFixedDelay(this::quietly, 300, 250, TimeUnit.MILLISECONDS);
      }
    }
  }

  void stop(@Observes ShutdownEvent event) {
    timer.shutdownNow();
  }

  private void quietly() {
    try {
      while (readOne()) {
        LOG.trace("another feed");
      }
    } catch (RuntimeException | Error e) {
      LOG.warnf("A feed of uses could not be read now: %s", e.getMessage());
    }
  }

  /**
   * A reading about to be made.
   *
   * @param began the moment from which on what is not seen was not there
   * @param leaseUntil until when nobody else reads it
   */
  private record Reading(
      UUID destination,
      Login login,
      String path,
      UsePort.Position from,
      Instant began,
      Instant leaseUntil) {

    /** Whether nobody else reads that log by now: what a paused reader brings is old. */
    boolean isStillOurs(FeedRow feed) {
      return leaseUntil.equals(feed.leaseUntil);
    }
  }

  private boolean readOne() {
    Optional<Reading> reading = QuarkusTransaction.requiringNew().call(this::claim);
    if (reading.isEmpty()) {
      return false;
    }
    Reading r = reading.get();
    try {
      UsePort.News news = usePort.read(r.login(), r.path(), r.from());
      QuarkusTransaction.requiringNew().run(() -> record(r, news));
    } catch (PortException e) {
      QuarkusTransaction.requiringNew().run(() -> failed(r, e.whole(), e.getMessage()));
    } catch (RuntimeException e) {
      LOG.warnf(e, "The feed of %s could not be recorded", r.login());
      String said = "An internal error; it is in the service's log.";
      QuarkusTransaction.requiringNew().run(() -> failed(r, said, said));
    }
    return true;
  }

  private Optional<Reading> claim() {
    Instant now = clock.now();
    Optional<FeedRow> claimed = feeds.claim(now);
    if (claimed.isEmpty()) {
      return Optional.empty();
    }
    FeedRow feed = claimed.get();
    DestinationRow at = destinations.get(feed.id);
    Optional<String> user = user(at);
    if (at.logPath == null || at.stoppedBecause != null || user.isEmpty()) {
      feed.nextReadAt = now.plus(NOW_AND_THEN);
      return Optional.empty();
    }
    feed.leaseUntil = now.plus(LEASE);
    return Optional.of(
        new Reading(
            feed.id,
            access.login(at, user.get()),
            at.logPath,
            new UsePort.Position(feed.logOffset, feed.head),
            now,
            feed.leaseUntil));
  }

  private Optional<String> user(DestinationRow at) {
    return at.managementLogin != null
        ? Optional.of(at.managementLogin)
        : accounts.any(at.id).map(a -> a.login);
  }

  private void record(Reading r, UsePort.News news) {
    FeedRow feed = feeds.lock(r.destination());
    if (!r.isStillOurs(feed)) {
      return;
    }
    Instant now = clock.now();
    Instant earliest = feed.readTo == null ? r.began() : feed.readTo;
    if (feed.workingSince == null
        || Duration.between(earliest, now).compareTo(UseOrigin.PAUSE) > 0) {
      feed.workingSince = r.began();
    }
    Uses.Taken taken =
        uses.take(
            r.destination(), news.lines(), UseOrigin.followed(earliest, feed.workingSince), now);
    feed.logOffset = news.position().offset();
    feed.head = news.position().head();
    if (feed.unbrokenSince == null || news.broken()) {
      feed.unbrokenSince = r.began();
    }
    feed.readTo = r.began();
    feed.failure = null;
    feed.leaseUntil = null;
    feed.nextReadAt =
        news.more() ? now : now.plus(rotations.isAnyOnItsWay() ? OFTEN : NOW_AND_THEN);
    if (taken.counted() > 0) {
      rotations.wakeOf(taken.accounts(), now);
      runner.wake();
      moments.seen(taken.clients());
    }
  }

  private void failed(Reading r, String failure, String shortly) {
    FeedRow feed = feeds.lock(r.destination());
    if (!r.isStillOurs(feed)) {
      return;
    }
    if (!failure.equals(feed.failure)) {
      feed.failure = failure;
      journal.tell("feed.failed", r.destination(), shortly);
    }
    feed.leaseUntil = null;
    feed.nextReadAt = clock.now().plus(AFTER_FAILURE);
  }
}
