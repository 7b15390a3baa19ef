package tolvin.service.rulebook;

import io.quarkus.runtime.StartupEvent;
import jakarta.enterprise.context.ApplicationScoped;
import jakarta.enterprise.event.Observes;
import jakarta.transaction.Transactional;
import java.io.IOException;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.time.Instant;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import java.util.stream.Collectors;
import tolvin.core.rulebook.Rulebook;
import tolvin.core.rulebook.RulebookEdit;
import tolvin.core.rulebook.RulebookText;
import tolvin.service.journal.Journal;
import tolvin.service.problem.Checks;
import tolvin.service.problem.Problem;
import tolvin.service.record.rulebook.RulebookRow;
import tolvin.service.record.rulebook.RulebookStore;
import tolvin.service.store.ClockStore;

/** The rulebook in force and its versions. */
@ApplicationScoped
public class Rulebooks {
  private static final int FORMER = 1000;

  private final RulebookStore store;
  private final ClockStore clock;
  private final Journal journal;
  private volatile Current cached;

  Rulebooks(RulebookStore store, ClockStore clock, Journal journal) {
    this.store = store;
    this.clock = clock;
    this.journal = journal;
  }

  /**
   * The rulebook in force.
   *
   * @param number its version
   * @param text as it was written
   * @param since from when on it is in force
   * @param rulebook what it says
   */
  public record Current(int number, String text, Instant since, Rulebook rulebook) {}

  /** Puts the rulebook that ships into force where there is none, with the cadences of before. */
  @Transactional
  void begin(@Observes StartupEvent start) {
    store.lock();
    if (store.numberInForce().isPresent()) {
      return;
    }
    String text = resource("shipped.yaml");
    for (RulebookStore.FormerCadence former : store.formerCadences()) {
      Map<String, String> entry = new LinkedHashMap<>();
      entry.put("number", String.valueOf(FORMER + former.number()));
      entry.put("name", former.name());
      if (former.identityKind() != null) {
        entry.put("identity-kind", former.identityKind());
      }
      if (former.identity() != null) {
        entry.put("identity", former.identity());
      }
      entry.put("every", Duration.ofSeconds(former.every()).toString());
      entry.put("lead", Duration.ofSeconds(former.lead()).toString());
      entry.put("watch", Duration.ofSeconds(former.watch()).toString());
      text = RulebookEdit.with(text, "cadences", entry);
    }
    write(1, text, "the rulebook that ships with Tolvin", "", Journal.ITSELF);
  }

  /** A file that ships beside the core's rulebook. */
  static String resource(String name) {
    try (InputStream in = Rulebook.class.getResourceAsStream(name)) {
      return new String(in.readAllBytes(), StandardCharsets.UTF_8);
    } catch (IOException e) {
      throw new IllegalStateException(name + " is not in the jar", e);
    }
  }

  /** The rulebook in force; read again only when another version is. */
  @Transactional
  public Current current() {
    int number =
        store.numberInForce().orElseThrow(() -> new IllegalStateException("no rulebook in force"));
    Current known = cached;
    if (known == null || known.number() != number) {
      RulebookRow row = store.find(number).orElseThrow();
      known = new Current(number, row.text, row.validFrom, parsed(row.text));
      cached = known;
    }
    return known;
  }

  @Transactional
  List<RulebookRow> versions() {
    return store.all();
  }

  @Transactional
  RulebookRow version(int number) {
    return store
        .find(number)
        .orElseThrow(() -> Problem.notFound("rulebook", String.valueOf(number)));
  }

  /** What a text says; a problem with every flaw if it cannot be taken. */
  static Rulebook parsed(String text) {
    RulebookText.Parsed parsed = RulebookText.read(text == null ? "" : text);
    return parsed
        .rulebook()
        .orElseThrow(
            () ->
                new Problem(
                    422,
                    "rulebook-flawed",
                    "The rulebook has flaws",
                    parsed.flaws().stream()
                        .limit(20)
                        .map(flaw -> "Line " + flaw.line() + ": " + flaw.sentence())
                        .collect(Collectors.joining("\n")),
                    "Mend these lines; the rulebook in force was not changed."));
  }

  /**
   * Puts another version into force.
   *
   * @param expected the version that the writer started from
   */
  @Transactional
  Current save(String text, int expected, String reason, String ticket) {
    parsed(text);
    store.lock();
    int number = store.numberInForce().orElseThrow();
    if (number != expected) {
      throw new Problem(
          412,
          "changed-meanwhile",
          "Changed meanwhile",
          "The rulebook is at version " + number + " now, and you started from " + expected + ".",
          "Look at what was changed, and put your change on top of it.");
    }
    write(
        number + 1,
        text,
        Checks.text(reason, "reason"),
        Checks.optional(ticket, "ticket"),
        journal.callerName());
    return current();
  }

  /** Changes the text in force by an edit that is asked for by itself. */
  @Transactional
  Current edit(String section, Map<String, String> entry, String reason) {
    store.lock();
    Current now = current();
    String text = RulebookEdit.with(now.text(), section, entry);
    parsed(text);
    write(now.number() + 1, text, reason, "", journal.callerName());
    return current();
  }

  @Transactional
  void removeCadence(int rule) {
    store.lock();
    Current now = current();
    String text =
        RulebookEdit.without(now.text(), "cadences", rule)
            .orElseThrow(() -> Problem.notFound("rule", String.valueOf(rule)));
    parsed(text);
    write(now.number() + 1, text, "rule " + rule + " taken out of force", "", journal.callerName());
  }

  private void write(int number, String text, String reason, String ticket, String by) {
    Instant now = clock.now();
    RulebookRow row = new RulebookRow();
    row.number = number;
    row.text = text;
    row.reason = reason;
    row.ticket = ticket;
    row.savedBy = by;
    row.validFrom = now;
    store.replace(row, now);
    journal.write(
        "rulebook.saved",
        new UUID(0, number),
        "Rulebook version " + number + " in force: " + reason,
        Map.of("version", number, "ticket", ticket));
  }
}
