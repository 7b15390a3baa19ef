package tolvin.service.journal;

import io.quarkus.narayana.jta.QuarkusTransaction;
import io.quarkus.runtime.ShutdownEvent;
import io.quarkus.runtime.StartupEvent;
import io.smallrye.mutiny.Multi;
import io.smallrye.mutiny.operators.multi.processors.BroadcastProcessor;
import jakarta.annotation.security.RolesAllowed;
import jakarta.enterprise.event.Observes;
import jakarta.inject.Singleton;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.Path;
import jakarta.ws.rs.Produces;
import jakarta.ws.rs.core.MediaType;
import java.time.Duration;
import java.time.Instant;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicBoolean;
import org.jboss.logging.Logger;
import org.jboss.resteasy.reactive.RestStreamElementType;
import tolvin.api.journal.EventView;
import tolvin.service.store.ClockStore;
import tolvin.service.store.News;
import tolvin.service.web.Role;

/**
 * The outbox as server-sent events: what changed, whichever instance did it. Listeners take an
 * event as a hint to look again, so nothing is lost when one of them misses some.
 */
@Path("/api/v1/events")
@Singleton
public class EventResource {
  private static final Logger LOG = Logger.getLogger(EventResource.class);
  private static final Duration LATE_COMMITS = Duration.ofSeconds(5);
  private static final int REMEMBERED = 2000;
  private static final long TOGETHER_MILLIS = 100;

  private final JournalStore store;
  private final ClockStore clock;
  private final BroadcastProcessor<EventView> events = BroadcastProcessor.create();
  private final Map<Long, Boolean> sent = new LinkedHashMap<>();
  private final ScheduledExecutorService timer =
      Executors.newSingleThreadScheduledExecutor(task -> new Thread(task, "outbox"));
  private final AtomicBoolean isTailing = new AtomicBoolean();
  private final Sealer sealer;
  private final News news;
  private long last;

  EventResource(JournalStore store, ClockStore clock, Sealer sealer, News news) {
    this.store = store;
    this.clock = clock;
    this.sealer = sealer;
    this.news = news;
  }

  /** The stream of events. */
  @GET
  @Produces(MediaType.SERVER_SENT_EVENTS)
  @RestStreamElementType(MediaType.APPLICATION_JSON)
  @RolesAllowed(Role.ADMINISTRATOR)
  public Multi<EventView> streamEvents() {
    Multi<EventView> alive =
        Multi.createFrom()
            .ticks()
            .every(Duration.ofSeconds(15))
            .map(tick -> new EventView(0, Instant.now(), "alive", null, ""));
    return Multi.createBy()
        .merging()
        .streams(events.onOverflow().drop(), alive.onOverflow().drop());
  }

  void start(@Observes StartupEvent event) {
    last = QuarkusTransaction.requiringNew().call(store::lastMessage);
    news.listen(JournalStore.CHANNEL, nothing -> tailSoon());
  }

  void stop(@Observes ShutdownEvent event) {
    timer.shutdownNow();
    events.onComplete();
  }

  /** Messages of the same moment are read together. */
  private void tailSoon() {
    sealer.soon();
    if (isTailing.compareAndSet(false, true) && !timer.isShutdown()) {
      timer.schedule(this::tail, TOGETHER_MILLIS, TimeUnit.MILLISECONDS);
    }
  }

  private void tail() {
    isTailing.set(false);
    try {
      List<OutboxRow> messages =
          QuarkusTransaction.requiringNew()
              .call(() -> store.messagesSince(last, clock.now().minus(LATE_COMMITS)));
      for (OutboxRow m : messages) {
        if (sent.putIfAbsent(m.number, true) == null) {
          events.onNext(new EventView(m.number, m.at, m.topic, m.subject, m.text));
        }
        last = Math.max(last, m.number);
      }
      while (sent.size() > REMEMBERED) {
        sent.remove(sent.keySet().iterator().next());
      }
    } catch (RuntimeException | Error e) {
      LOG.debugf("The outbox could not be read now: %s", e.getMessage());
    }
  }
}
