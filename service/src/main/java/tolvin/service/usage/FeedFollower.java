package tolvin.service.usage;

import io.quarkus.narayana.jta.QuarkusTransaction;
import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.time.Instant;
import java.util.Objects;
import java.util.Optional;
import java.util.UUID;
import org.jboss.logging.Logger;
import tolvin.core.port.Login;
import tolvin.core.port.PortException;
import tolvin.core.port.UsePort;
import tolvin.service.destination.Access;
import tolvin.service.job.JobHandler;
import tolvin.service.job.JobKind;
import tolvin.service.job.Pace;
import tolvin.service.job.Wakening;
import tolvin.service.journal.Journal;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationRow;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.rotation.RotationStore;
import tolvin.service.record.usage.FeedRow;
import tolvin.service.record.usage.FeedStore;
import tolvin.service.store.ClockStore;

/**
 * Follows the sign-in logs of all destinations: one reader for each log at a time, on whichever
 * instance; often while a rotation makes its moves, now and then otherwise.
 *
 * <p>A log tells no trustworthy time, so a use lies between the beginning of the reading before,
 * which did not show it, and the end of the one that did.
 */
@ApplicationScoped
class FeedFollower implements JobHandler {
  private static final Logger LOG = Logger.getLogger(FeedFollower.class);
  private static final Duration OFTEN = Duration.ofMillis(400);

  /** How long after a move of a rotation it is worth being quick. */
  private static final Duration LATELY = Duration.ofMinutes(2);

  private static final Pace NOW_AND_THEN = new Pace(Duration.ofSeconds(5), Duration.ofMillis(20));
  private static final Duration NOTHING_TO_READ = Duration.ofSeconds(5);
  private static final Duration AFTER_TRIAL = Duration.ofMillis(250);
  private static final Duration AFTER_FAILURE = Duration.ofSeconds(10);

  private final FeedStore feeds;
  private final DestinationStore destinations;
  private final AccountStore accounts;
  private final RotationStore rotations;
  private final Wakening wakening;
  private final Access access;
  private final UsePort usePort;
  private final Uses uses;
  private final SignInMoments moments;
  private final Journal journal;
  private final ClockStore clock;

  FeedFollower(
      FeedStore feeds,
      DestinationStore destinations,
      AccountStore accounts,
      RotationStore rotations,
      Wakening wakening,
      Access access,
      UsePort usePort,
      Uses uses,
      SignInMoments moments,
      Journal journal,
      ClockStore clock) {
    this.feeds = feeds;
    this.destinations = destinations;
    this.accounts = accounts;
    this.rotations = rotations;
    this.wakening = wakening;
    this.access = access;
    this.usePort = usePort;
    this.uses = uses;
    this.moments = moments;
    this.journal = journal;
    this.clock = clock;
  }

  @Override
  public JobKind kind() {
    return JobKind.FEED;
  }

  /**
   * A reading about to be made.
   *
   * @param began the moment from which on what is not seen was not there
   * @param readTo what the reading before it ended with; null if there was none
   */
  private record Reading(
      UUID destination,
      Login login,
      String path,
      UsePort.Position from,
      Instant began,
      Instant readTo) {

    /** Whether nobody else read that log meanwhile: what a paused reader brings is old. */
    boolean isStillNews(FeedRow feed) {
      return Objects.equals(readTo, feed.readTo) && from.offset() == feed.logOffset;
    }
  }

  /** What is to be done of a feed: it is read, or looked at again after a pause, or over. */
  private record Step(Reading reading, Optional<Duration> pause) {
    static final Step OVER = new Step(null, Optional.empty());

    static Step pause(Duration pause) {
      return new Step(null, Optional.of(pause));
    }
  }

  @Override
  public Optional<Duration> run(UUID id, Turn turn) {
    Step step = QuarkusTransaction.requiringNew().call(() -> step(id));
    return step.reading() == null ? step.pause() : Optional.of(read(step.reading()));
  }

  private Duration read(Reading r) {
    try {
      UsePort.News news = usePort.read(r.login(), r.path(), r.from());
      return QuarkusTransaction.requiringNew().call(() -> record(r, news));
    } catch (PortException e) {
      return QuarkusTransaction.requiringNew().call(() -> failed(r, e.whole(), e.getMessage()));
    } catch (RuntimeException e) {
      LOG.warnf(e, "The feed of %s could not be recorded", r.login());
      String said = "An internal error; it is in the service's log.";
      return QuarkusTransaction.requiringNew().call(() -> failed(r, said, said));
    }
  }

  private Step step(UUID id) {
    Optional<FeedRow> followed = feeds.find(id);
    Optional<DestinationRow> there = destinations.find(id).filter(d -> d.validUntil == null);
    if (followed.isEmpty() || there.isEmpty()) {
      return Step.OVER;
    }
    Instant now = clock.now();
    if (feeds.isTrialUnderWay(id, now)) {
      return Step.pause(AFTER_TRIAL);
    }
    FeedRow feed = followed.get();
    DestinationRow at = there.get();
    Optional<String> user = user(at);
    if (at.logPath == null || at.stoppedBecause != null || user.isEmpty()) {
      return Step.pause(NOTHING_TO_READ);
    }
    return new Step(
        new Reading(
            id,
            access.login(at, user.get()),
            at.logPath,
            new UsePort.Position(feed.logOffset, feed.head),
            now,
            feed.readTo),
        Optional.empty());
  }

  private Optional<String> user(DestinationRow at) {
    return at.managementLogin != null
        ? Optional.of(at.managementLogin)
        : accounts.any(at.id).map(a -> a.login);
  }

  /** Keeps what was read; gives after which time there is to be read again. */
  private Duration record(Reading r, UsePort.News news) {
    FeedRow feed = feeds.lock(r.destination());
    if (!r.isStillNews(feed)) {
      return OFTEN;
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
    if (taken.counted() > 0) {
      wakening.of(taken.accounts());
      moments.seen(taken.clients());
    }
    if (news.more()) {
      return Duration.ZERO;
    }
    return rotations.hasAnyMovedAt(r.destination(), now.minus(LATELY))
        ? OFTEN
        : NOW_AND_THEN.of(feeds.count());
  }

  private Duration failed(Reading r, String failure, String shortly) {
    FeedRow feed = feeds.lock(r.destination());
    if (r.isStillNews(feed) && !failure.equals(feed.failure)) {
      feed.failure = failure;
      journal.tell("feed.failed", r.destination(), shortly);
    }
    return AFTER_FAILURE;
  }
}
