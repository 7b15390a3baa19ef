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
import org.jboss.logging.Logger;
import org.jboss.resteasy.reactive.RestStreamElementType;
import tolvin.api.journal.EventView;
import tolvin.service.people.Role;
import tolvin.service.store.ClockStore;

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

  /** Messages are hints for listeners of this moment; what happened stands in the journal. */
  private static final Duration KEPT = Duration.ofDays(1);

  private final JournalStore store;
  private final ClockStore clock;
  private final BroadcastProcessor<EventView> events = BroadcastProcessor.create();
  private final Map<Long, Boolean> sent = new LinkedHashMap<>();
  private final ScheduledExecutorService timer =
      Executors.newSingleThreadScheduledExecutor(task -> new Thread(task, "outbox"));
  private long last;

  EventResource(JournalStore store, ClockStore clock) {
    this.store = store;
    this.clock = clock;
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
    timer.scheduleWithFixedDelay(this::tail, 200, 200, TimeUnit.MILLISECONDS);
    timer.scheduleWithFixedDelay(this::forget, 1, 60, TimeUnit.MINUTES);
  }

  void stop(@Observes ShutdownEvent event) {
    timer.shutdownNow();
    events.onComplete();
  }

  private void forget() {
    try {
      QuarkusTransaction.requiringNew().run(() -> store.forgetMessages(clock.now().minus(KEPT)));
    } catch (RuntimeException | Error e) {
      LOG.warnf("Old messages could not be deleted now: %s", e.getMessage());
    }
  }

  private void tail() {
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
