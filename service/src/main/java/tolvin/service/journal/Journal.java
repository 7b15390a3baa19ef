package tolvin.service.journal;

import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.databind.ObjectMapper;
import io.quarkus.security.identity.SecurityIdentity;
import jakarta.enterprise.context.ApplicationScoped;
import jakarta.enterprise.context.ContextNotActiveException;
import jakarta.transaction.Transactional;
import java.time.Instant;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import java.util.UUID;
import tolvin.core.journal.Audit;
import tolvin.service.store.ClockStore;

/** Writes entries, and the message that tells of them, in the transaction of the change itself. */
@ApplicationScoped
public class Journal {
  public static final String ITSELF = "Tolvin";

  /** The attribute of the caller that holds their name. */
  public static final String NAME = "name";

  private final JournalStore store;
  private final ClockStore clock;
  private final SecurityIdentity caller;
  private final ObjectMapper json;

  Journal(JournalStore store, ClockStore clock, SecurityIdentity caller, ObjectMapper json) {
    this.store = store;
    this.clock = clock;
    this.caller = caller;
    this.json = json;
  }

  /**
   * Writes an entry.
   *
   * @param action what was done, as {@code noun.verb}
   * @param subject the id of what it was done to
   * @param text the entry in words
   * @param data more for programs; never a secret
   */
  @Transactional(Transactional.TxType.MANDATORY)
  public void write(String action, UUID subject, String text, Map<String, ?> data) {
    writeAll(List.of(new Entry(action, subject, text, data)));
  }

  /**
   * An entry to write; see {@link #write}.
   *
   * @param action what was done
   * @param subject what it was done to
   * @param text the entry in words
   * @param data more for programs
   */
  public record Entry(String action, UUID subject, String text, Map<String, ?> data) {}

  /**
   * Writes many entries of the same moment; whoever listens is told of the first of each action.
   */
  @Transactional(Transactional.TxType.MANDATORY)
  public void writeAll(List<Entry> entries) {
    writeAll(callerSaid(), entries);
  }

  /**
   * Writes what somebody did who is not the caller yet, such as signing in.
   *
   * @param who as {@link #said} says it
   */
  @Transactional(Transactional.TxType.MANDATORY)
  public void writeAs(String who, String action, UUID subject, String text, Map<String, ?> data) {
    writeAll(who, List.of(new Entry(action, subject, text, data)));
  }

  private void writeAll(String who, List<Entry> entries) {
    if (entries.isEmpty()) {
      return;
    }
    Instant now = clock.now();
    String actor = actor(who);
    Set<String> told = new HashSet<>();
    for (Entry entry : entries) {
      JournalRow row = new JournalRow();
      row.id = clock.id(now);
      row.at = now;
      row.actor = actor;
      row.action = entry.action();
      row.subject = entry.subject();
      row.text = entry.text();
      row.data = text(entry.data());
      store.add(row);
      if (told.add(entry.action())) {
        tell(entry.action(), entry.subject(), entry.text(), now);
      }
    }
  }

  /** Sends a message without an entry, such as for progress. */
  @Transactional(Transactional.TxType.MANDATORY)
  public void tell(String topic, UUID subject, String text) {
    tell(topic, subject, text, clock.now());
  }

  private void tell(String topic, UUID subject, String text, Instant now) {
    OutboxRow message = new OutboxRow();
    message.at = now;
    message.topic = topic;
    message.subject = subject;
    message.text = text;
    store.addMessage(message);
  }

  /** The login of whoever asks, or Tolvin's own name for what it does by itself. */
  public String callerName() {
    try {
      return caller.isAnonymous() ? ITSELF : caller.getPrincipal().getName();
    } catch (ContextNotActiveException byItself) {
      return ITSELF;
    }
  }

  /** A person as entries name them: a reader years later knows nobody's login. */
  public static String said(String name, String login) {
    return name + " (" + login + ")";
  }

  private String callerSaid() {
    String login = callerName();
    return login.equals(ITSELF) ? ITSELF : said(caller.getAttribute(NAME), login);
  }

  private String actor(String name) {
    return store
        .personByName(name)
        .orElseGet(
            () -> {
              JournalPersonRow person = new JournalPersonRow();
              person.salt = new byte[16];
              clock.random().nextBytes(person.salt);
              person.name = name;
              person.ref = Audit.reference(person.salt, name);
              store.addPerson(person);
              return person;
            })
        .ref;
  }

  private String text(Map<String, ?> data) {
    try {
      return json.writeValueAsString(new TreeMap<>(data));
    } catch (JsonProcessingException e) {
      throw new IllegalArgumentException("journal data must be plain", e);
    }
  }
}
