package tolvin.service.journal;

import io.quarkus.runtime.ShutdownEvent;
import io.quarkus.runtime.StartupEvent;
import jakarta.enterprise.context.ApplicationScoped;
import jakarta.enterprise.event.Observes;
import jakarta.transaction.Transactional;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.TimeUnit;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import org.jboss.logging.Logger;
import tolvin.api.journal.SealCheckView;
import tolvin.core.journal.Chain;
import tolvin.service.coffer.SealKey;

/** Links and signs the entries in order: one sealer at a time, on whichever instance. */
@ApplicationScoped
public class Sealer {
  private static final Logger LOG = Logger.getLogger(Sealer.class);
  private static final int BATCH = 500;

  private final JournalStore store;
  private final SealKey key;
  private final boolean enabled;
  private final ScheduledExecutorService timer =
      Executors.newSingleThreadScheduledExecutor(task -> new Thread(task, "sealer"));

  Sealer(
      JournalStore store,
      SealKey key,
      @ConfigProperty(name = "tolvin.runner.enabled") boolean enabled) {
    this.store = store;
    this.key = key;
    this.enabled = enabled;
  }

  void start(@Observes StartupEvent event, Sealer self) {
    if (enabled) {
      timer.scheduleWithFixedDelay(() -> quietly(self), 1, 1, TimeUnit.SECONDS);
    }
  }

  void stop(@Observes ShutdownEvent event) {
    timer.shutdownNow();
  }

  private void quietly(Sealer self) {
    try {
      while (self.seal() == BATCH) {
        LOG.debug("another batch");
      }
    } catch (RuntimeException | Error e) {
      LOG.warnf("The journal could not be sealed now: %s", e.getMessage());
    }
  }

  /** Seals what was written and not sealed yet; gives how many entries that were. */
  @Transactional
  public int seal() {
    if (!store.becomeSealer()) {
      return 0;
    }
    List<JournalRow> entries = store.unsealed(BATCH);
    if (entries.isEmpty()) {
      return 0;
    }
    Optional<JournalRow> last = store.lastSealed();
    byte[] before = last.map(row -> row.link).orElse(Chain.START);
    long first = last.map(row -> row.number).orElse(0L) + 1;
    List<byte[]> links = new ArrayList<>();
    for (JournalRow row : entries) {
      before = Chain.link(before, entry(row, first + links.size()));
      links.add(before);
    }
    // A link stands for all entries before it, so one signature seals the whole batch.
    byte[] signature = key.sign(before);
    for (int i = 0; i < entries.size(); i++) {
      entries.get(i).number = first + i;
      entries.get(i).link = links.get(i);
    }
    entries.get(entries.size() - 1).signature = signature;
    return entries.size();
  }

  /** Checks every link, and the signature over the last one, which stands for all. */
  @Transactional
  public SealCheckView check() {
    byte[] before = Chain.START;
    byte[] signature = null;
    long number = 0;
    for (List<JournalRow> rows = store.sealedAfter(0, BATCH);
        !rows.isEmpty();
        rows = store.sealedAfter(number, BATCH)) {
      for (JournalRow row : rows) {
        number++;
        if (row.number != number || !Chain.holds(before, entry(row, number), row.link)) {
          return new SealCheckView(number, false, number, store.unsealed(BATCH).size());
        }
        before = row.link;
        signature = row.signature;
      }
      store.forget();
    }
    boolean signed = number == 0 || signature != null && key.verifies(before, signature);
    return new SealCheckView(number, signed, signed ? null : number, store.unsealed(BATCH).size());
  }

  private static Chain.Entry entry(JournalRow row, long number) {
    return new Chain.Entry(
        number,
        row.id,
        row.at,
        row.actor,
        row.action,
        String.valueOf(row.subject),
        row.text,
        row.data);
  }
}
