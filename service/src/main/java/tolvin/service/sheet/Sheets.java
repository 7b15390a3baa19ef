package tolvin.service.sheet;

import io.quarkus.security.identity.SecurityIdentity;
import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import java.util.concurrent.ConcurrentHashMap;
import java.util.stream.Collectors;
import tolvin.core.sheet.SheetText;
import tolvin.core.sheet.SystemSheet;
import tolvin.core.yaml.Flaw;
import tolvin.service.journal.Journal;
import tolvin.service.problem.Checks;
import tolvin.service.problem.Problem;
import tolvin.service.record.destination.DestinationRow;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.sheet.SheetRow;
import tolvin.service.record.sheet.SheetStore;
import tolvin.service.store.ClockStore;

/** Keeps system sheets; a new version of one counts for all its destinations at once. */
@ApplicationScoped
public class Sheets {
  private final SheetStore store;
  private final DestinationStore destinations;
  private final ClockStore clock;
  private final Journal journal;
  private final SecurityIdentity caller;
  private final Map<UUID, SystemSheet> read = new ConcurrentHashMap<>();

  Sheets(
      SheetStore store,
      DestinationStore destinations,
      ClockStore clock,
      Journal journal,
      SecurityIdentity caller) {
    this.store = store;
    this.destinations = destinations;
    this.clock = clock;
    this.journal = journal;
    this.caller = caller;
  }

  /** A kept sheet, read. */
  @Transactional
  public SystemSheet of(UUID id) {
    return read.computeIfAbsent(id, key -> readable(store.get(key).text));
  }

  /** The sheet that describes a destination; empty if none does. */
  @Transactional
  public Optional<SystemSheet> ofDestination(DestinationRow row) {
    return Optional.ofNullable(row.sheetId).map(this::of);
  }

  private static SystemSheet readable(String text) {
    return SheetText.read(text)
        .sheet()
        .orElseThrow(() -> new IllegalStateException("a kept sheet cannot be read any more"));
  }

  /** Keeps a sheet, as the first or the next version of its system's. */
  @Transactional
  SheetRow save(String text, String reason) {
    SheetText.Parsed parsed = SheetText.read(text == null ? "" : text);
    SystemSheet sheet =
        parsed
            .sheet()
            .orElseThrow(
                () ->
                    new Problem(
                        422,
                        "sheet-flawed",
                        "The sheet has flaws",
                        told(parsed.flaws()),
                        "Mend these lines; docs/system-sheets.md says what belongs where."));
    Instant now = clock.now();
    SheetRow row = new SheetRow();
    row.id = clock.id(now);
    row.system = sheet.system();
    row.family = sheet.family();
    row.text = text;
    row.reason = Checks.text(reason, "reason");
    row.savedBy = caller.getPrincipal().getName();
    row.validFrom = now;
    Optional<SheetRow> former = store.ofSystem(sheet.system());
    former.ifPresent(f -> f.validUntil = now);
    store.flush();
    store.add(row);
    store.flush();
    for (DestinationRow at : former.map(f -> destinations.ofSheet(f.id)).orElse(List.of())) {
      at.sheetId = row.id;
      at.family = row.family;
      at.testedAt = null; // what was tried was the former version
    }
    journal.write(
        "sheet.saved", row.id, "Sheet of " + row.system + " saved", Map.of("reason", row.reason));
    return row;
  }

  static String told(List<Flaw> flaws) {
    return flaws.stream()
        .limit(10)
        .map(f -> "Line " + f.line() + ": " + f.sentence())
        .collect(Collectors.joining(" "));
  }
}
