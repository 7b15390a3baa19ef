package tolvin.service.journal;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.inject.Inject;
import java.time.Duration;
import java.time.Instant;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import java.util.UUID;
import tolvin.api.Page;
import tolvin.core.journal.Audit;
import tolvin.service.job.KeptForAWhile;
import tolvin.service.store.NewsStore;
import tolvin.service.store.RowStore;

/** The journal's and the outbox's rows. */
@ApplicationScoped
class JournalStore extends RowStore<JournalRow> implements KeptForAWhile {
  /** Messages are hints for listeners of their moment; what happened stands in the journal. */
  private static final Duration MESSAGES_KEPT = Duration.ofDays(1);

  /** The channel on which listeners hear that there is a new message. */
  static final String CHANNEL = "outbox";

  /** Any number will do, as long as it is always the same: one sealer at a time. */
  private static final long SEALER_LOCK = 0x746f6c76696eL;

  @Inject NewsStore news;

  JournalStore() {
    super(JournalRow.class, "journal entry");
  }

  Page<JournalRow> page(UUID subject, String action, UUID after, int limit) {
    StringBuilder condition = new StringBuilder("true = true");
    Map<String, Object> values = new HashMap<>();
    if (subject != null) {
      condition.append(" and r.subject = :subject");
      values.put("subject", subject);
    }
    if (action != null && !action.isBlank()) {
      condition.append(" and r.action like :action");
      values.put("action", action.replace("%", "") + "%");
    }
    return page(condition.toString(), values, after, limit);
  }

  Optional<JournalPersonRow> personByName(String name) {
    return database
        .createQuery("from JournalPersonRow p where p.name = :name", JournalPersonRow.class)
        .setParameter("name", name)
        .getResultStream()
        .findFirst();
  }

  void addPerson(JournalPersonRow person) {
    database.persist(person);
    database.flush();
  }

  List<JournalPersonRow> persons() {
    return database
        .createQuery("from JournalPersonRow p order by p.ref", JournalPersonRow.class)
        .getResultList();
  }

  /** Whose the references are; a name that is not the one behind its reference is not believed. */
  Map<String, String> names() {
    Map<String, String> names = new HashMap<>();
    for (JournalPersonRow p : persons()) {
      boolean isTheirs = p.name != null && Audit.reference(p.salt, p.name).equals(p.ref);
      names.put(p.ref, p.name == null ? "(erased)" : isTheirs ? p.name : "(name was changed)");
    }
    return names;
  }

  /** Adds a message, of which listeners hear once this transaction is committed. */
  void addMessage(OutboxRow message) {
    database.persist(message);
    news.send(CHANNEL, "");
  }

  /** Messages after a number, and those that were committed late behind it. */
  List<OutboxRow> messagesSince(long number, Instant since) {
    Map<Long, OutboxRow> messages = new TreeMap<>();
    for (String condition : List.of("o.number > :from", "o.at > :from")) {
      database
          .createQuery(
              "from OutboxRow o where " + condition + " order by o.number", OutboxRow.class)
          .setParameter("from", condition.startsWith("o.n") ? number : since)
          .setMaxResults(1000)
          .getResultStream()
          .forEach(message -> messages.put(message.number, message));
    }
    return List.copyOf(messages.values());
  }

  /** Deletes messages that every listener has had; they only say that there is something new. */
  @Override
  public void forget(Instant now) {
    database
        .createNativeQuery("delete from outbox where at < :before")
        .setParameter("before", now.minus(MESSAGES_KEPT))
        .executeUpdate();
  }

  long lastMessage() {
    return database
        .createQuery("select coalesce(max(o.number), 0) from OutboxRow o", Long.class)
        .getSingleResult();
  }

  /** Whether the database's user has more rights to the journal than the service needs. */
  boolean mayRemove() {
    return (Boolean)
        database
            .createNativeQuery("select has_table_privilege('journal_entry', 'delete, truncate')")
            .getSingleResult();
  }

  boolean becomeSealer() {
    return (Boolean)
        database
            .createNativeQuery("select pg_try_advisory_xact_lock(:key)")
            .setParameter("key", SEALER_LOCK)
            .getSingleResult();
  }

  List<JournalRow> unsealed(int most) {
    return database
        .createQuery(
            "from JournalRow j where j.number is null order by j.at, j.id", JournalRow.class)
        .setMaxResults(most)
        .getResultList();
  }

  Optional<JournalRow> lastSealed() {
    return database
        .createQuery(
            "from JournalRow j where j.number is not null order by j.number desc", JournalRow.class)
        .setMaxResults(1)
        .getResultStream()
        .findFirst();
  }

  /** A sealed entry. */
  Optional<JournalRow> sealed(long number) {
    return database
        .createQuery("from JournalRow j where j.number = :number", JournalRow.class)
        .setParameter("number", number)
        .getResultStream()
        .findFirst();
  }

  /** Lets go of the rows that were read, so that a long journal does not pile up in memory. */
  void forget() {
    database.clear();
  }

  List<JournalRow> sealedAfter(long number, int most) {
    return database
        .createQuery(
            "from JournalRow j where j.number > :number order by j.number", JournalRow.class)
        .setParameter("number", number)
        .setMaxResults(most)
        .getResultList();
  }
}
