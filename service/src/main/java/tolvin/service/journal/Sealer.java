package tolvin.service.journal;

import io.quarkus.narayana.jta.QuarkusTransaction;
import io.quarkus.runtime.StartupEvent;
import jakarta.enterprise.context.ApplicationScoped;
import jakarta.enterprise.event.Observes;
import jakarta.transaction.Transactional;
import java.security.GeneralSecurityException;
import java.security.PublicKey;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import java.util.UUID;
import java.util.concurrent.atomic.AtomicBoolean;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import org.jboss.logging.Logger;
import tolvin.api.journal.SealCheckView;
import tolvin.core.journal.Audit;
import tolvin.core.journal.Audit.CheckPoint;
import tolvin.core.journal.Chain;
import tolvin.core.journal.Seals;
import tolvin.service.coffer.SealKey;
import tolvin.service.job.JobHandler;
import tolvin.service.job.JobKind;
import tolvin.service.job.Jobs;
import tolvin.service.problem.CannotStart;
import tolvin.service.web.ShortSettings;

/** Links and signs the entries in order: one sealer at a time, on whichever instance. */
@ApplicationScoped
public class Sealer implements JobHandler {
  private static final Logger LOG = Logger.getLogger(Sealer.class);

  /** For a receiver outside, who can hold an export against what is said here. */
  private static final Logger SEALS = Logger.getLogger("tolvin.seals");

  private static final int BATCH = 500;
  private static final Duration TOGETHER = Duration.ofSeconds(1);
  private static final Duration ANYWAY = Duration.ofSeconds(30);

  private final JournalStore store;
  private final SealKey key;
  private final Anchor anchor;
  private final Jobs jobs;
  private final Optional<String> receiver;
  private final AtomicBoolean isWoken = new AtomicBoolean();

  Sealer(
      JournalStore store,
      SealKey key,
      Anchor anchor,
      Jobs jobs,
      @ConfigProperty(name = "tolvin.seals.to") Optional<String> receiver) {
    this.store = store;
    this.key = key;
    this.anchor = anchor;
    this.jobs = jobs;
    this.receiver = receiver;
  }

  void start(@Observes StartupEvent event) {
    receiver
        .filter(to -> !ShortSettings.RECEIVER.matcher(to.strip()).matches())
        .ifPresent(
            to ->
                CannotStart.because(
                    "TOLVIN_SEALS_TO: "
                        + to
                        + " is no receiver of syslog; write udp://HOST:PORT, tcp://… or tls://…"));
    if (QuarkusTransaction.requiringNew().call(store::mayRemove)) {
      LOG.warn(
          "The database's user may remove entries of the journal. Give the tables to another one:"
              + " docs/operations.md, The database");
    }
  }

  @Override
  public JobKind kind() {
    return JobKind.SEAL;
  }

  @Override
  public Optional<Duration> run(UUID all, Turn turn) {
    isWoken.set(false);
    while (seal() == BATCH && !turn.isEnding()) {
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

  /**
   * Seals what was written and not sealed yet, unless what was sealed before is not what it was;
   * gives how many entries that were.
   */
  public int seal() {
    Sealed sealed = QuarkusTransaction.requiringNew().call(this::sealBatch);
    sealed
        .reached()
        .ifPresent(
            reached -> {
              anchor.keep(reached);
              SEALS.info("journal sealed " + reached.number() + ":" + Chain.shown(reached.link()));
            });
    return sealed.entries();
  }

  private record Sealed(int entries, Optional<CheckPoint> reached) {
    static final Sealed NOTHING = new Sealed(0, Optional.empty());
  }

  private Sealed sealBatch() {
    if (!store.becomeSealer()) {
      return Sealed.NOTHING;
    }
    List<JournalRow> entries = store.unsealed(BATCH);
    if (entries.isEmpty()) {
      return Sealed.NOTHING;
    }
    Optional<JournalRow> last = store.lastSealed();
    Optional<String> wrong = wrongWith(last);
    if (wrong.isPresent()) {
      String said = "The journal is not sealed on: " + wrong.get();
      LOG.error(said + " Run: tolvin journal check");
      SEALS.error(said);
      return Sealed.NOTHING;
    }
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
    long number = first + entries.size() - 1;
    return new Sealed(entries.size(), Optional.of(new CheckPoint(number, before)));
  }

  /** What is wrong with what was sealed last: a signature over it would make it look right. */
  private Optional<String> wrongWith(Optional<JournalRow> last) {
    CheckPoint kept = anchor.kept().orElse(CheckPoint.BEGINNING);
    long number = last.map(row -> row.number).orElse(0L);
    if (kept.number() > number) {
      return Optional.of(new Audit.Finding(number, Audit.Fault.CUT_OFF).sentence());
    }
    boolean isSigned =
        last.isEmpty()
            || last.get().signature != null
                && Seals.verifies(publicKey(), last.get().link, last.get().signature);
    if (!isSigned) {
      return Optional.of(new Audit.Finding(number, Audit.Fault.FALSELY_SIGNED).sentence());
    }
    boolean isTheSame =
        kept.number() == 0
            || store
                .sealed(kept.number())
                .filter(row -> Arrays.equals(row.link, kept.link()))
                .isPresent();
    return isTheSame
        ? Optional.empty()
        : Optional.of(new Audit.Finding(kept.number(), Audit.Fault.EDITED).sentence());
  }

  private PublicKey publicKey() {
    try {
      return Seals.key(key.publicKey());
    } catch (GeneralSecurityException e) {
      throw new IllegalStateException("the journal's key could not be read", e);
    }
  }

  /** Checks every link, every signature, every name, and what is kept outside of the database. */
  @Transactional
  public SealCheckView check() {
    Audit audit = new Audit(publicKey(), CheckPoint.BEGINNING);
    for (JournalPersonRow person : store.persons()) {
      audit.person(person.ref, person.salt, Optional.ofNullable(person.name));
    }
    CheckPoint kept = anchor.kept().orElse(CheckPoint.BEGINNING);
    long number = 0;
    boolean goesOn = true;
    for (List<JournalRow> rows = store.sealedAfter(0, BATCH);
        goesOn && !rows.isEmpty();
        rows = store.sealedAfter(number, BATCH)) {
      for (JournalRow row : rows) {
        number = row.number;
        goesOn =
            audit.entry(entry(row, number), row.link, Optional.ofNullable(row.signature)) && goesOn;
        audit.compare(kept);
      }
      store.forget();
    }
    Optional<Audit.Finding> found = audit.end(kept.number());
    return new SealCheckView(
        number,
        found.isEmpty(),
        found.map(Audit.Finding::number).orElse(null),
        found.map(Audit.Finding::sentence).orElse(null),
        store.unsealed(BATCH).size());
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
