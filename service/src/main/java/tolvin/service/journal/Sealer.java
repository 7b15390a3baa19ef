package tolvin.service.journal;

import io.quarkus.narayana.jta.QuarkusTransaction;
import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.UUID;
import java.util.concurrent.atomic.AtomicBoolean;
import org.jboss.logging.Logger;
import tolvin.api.journal.SealCheckView;
import tolvin.core.journal.Chain;
import tolvin.service.coffer.SealKey;
import tolvin.service.job.JobHandler;
import tolvin.service.job.JobKind;
import tolvin.service.job.Jobs;

/** Links and signs the entries in order: one sealer at a time, on whichever instance. */
@ApplicationScoped
public class Sealer implements JobHandler {
  private static final Logger LOG = Logger.getLogger(Sealer.class);
  private static final int BATCH = 500;
  private static final Duration TOGETHER = Duration.ofSeconds(1);
  private static final Duration ANYWAY = Duration.ofSeconds(30);

  private final JournalStore store;
  private final SealKey key;
  private final Jobs jobs;
  private final AtomicBoolean isWoken = new AtomicBoolean();

  Sealer(JournalStore store, SealKey key, Jobs jobs) {
    this.store = store;
    this.key = key;
    this.jobs = jobs;
  }

  @Override
  public JobKind kind() {
    return JobKind.SEAL;
  }

  @Override
  public Optional<Duration> run(UUID all, Turn turn) {
    isWoken.set(false);
    while (QuarkusTransaction.requiringNew().call(this::seal) == BATCH && !turn.isEnding()) {
      LOG.debug("another batch");
    }
    return Optional.of(ANYWAY);
  }

  /** There is something to seal; what is written in the next moment is sealed with it. */
  void soon() {
    if (isWoken.compareAndSet(false, true)) {
      jobs.wakeAfter(JobKind.SEAL, JobKind.ALL, TOGETHER);
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
