package tolvin.service.journal;

import static tolvin.service.store.Transactions.inNewTransaction;

import com.fasterxml.jackson.databind.ObjectMapper;
import jakarta.enterprise.context.ApplicationScoped;
import java.io.IOException;
import java.io.OutputStream;
import java.nio.charset.StandardCharsets;
import java.util.Base64;
import java.util.HexFormat;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import tolvin.core.journal.Audit.CheckPoint;
import tolvin.service.coffer.SealKey;
import tolvin.service.problem.Problem;

/**
 * Writes the sealed journal as JSON Lines, as docs/journal.md describes: a head with the key that
 * signatures are checked with, who the references stand for, the entries, and an end.
 */
@ApplicationScoped
class JournalExport {
  private static final int AT_ONCE = 500;

  private final JournalStore store;
  private final SealKey key;
  private final ObjectMapper json;

  JournalExport(JournalStore store, SealKey key, ObjectMapper json) {
    this.store = store;
    this.key = key;
    this.json = json;
  }

  /** What is known of the journal behind an entry; of 0, its beginning. */
  CheckPoint checkPoint(long number) {
    return number == 0
        ? CheckPoint.BEGINNING
        : inNewTransaction(
            () ->
                store
                    .sealed(number)
                    .map(row -> new CheckPoint(number, row.link))
                    .orElseThrow(() -> Problem.notFound("sealed entry", String.valueOf(number))));
  }

  /** Writes what comes behind a check-point. */
  void write(CheckPoint from, OutputStream out) throws IOException {
    Map<String, Object> head = new LinkedHashMap<>();
    head.put("journal", 1);
    head.put("key", Base64.getEncoder().encodeToString(key.publicKey()));
    head.put("from", from.number());
    head.put("link", HexFormat.of().formatHex(from.link()));
    line(out, head);
    for (JournalPersonRow person : inNewTransaction(store::persons)) {
      Map<String, Object> who = new LinkedHashMap<>();
      who.put("person", person.ref);
      who.put("salt", HexFormat.of().formatHex(person.salt));
      who.put("name", person.name);
      line(out, who);
    }
    CheckPoint reached = from;
    for (List<JournalRow> rows = rowsAfter(reached.number());
        !rows.isEmpty();
        rows = rowsAfter(reached.number())) {
      for (JournalRow row : rows) {
        line(out, entry(row));
        reached = new CheckPoint(row.number, row.link);
      }
    }
    Map<String, Object> end = new LinkedHashMap<>();
    end.put("end", reached.number());
    end.put("link", HexFormat.of().formatHex(reached.link()));
    line(out, end);
  }

  private List<JournalRow> rowsAfter(long number) {
    return inNewTransaction(() -> store.sealedAfter(number, AT_ONCE));
  }

  private static Map<String, Object> entry(JournalRow row) {
    Map<String, Object> entry = new LinkedHashMap<>();
    entry.put("number", row.number);
    entry.put("id", row.id.toString());
    entry.put("at", row.at.toString());
    entry.put("actor", row.actor);
    entry.put("action", row.action);
    entry.put("subject", String.valueOf(row.subject));
    entry.put("text", row.text);
    entry.put("data", row.data);
    entry.put("link", HexFormat.of().formatHex(row.link));
    if (row.signature != null) {
      entry.put("signature", Base64.getEncoder().encodeToString(row.signature));
    }
    return entry;
  }

  private void line(OutputStream out, Map<String, Object> line) throws IOException {
    out.write((json.writeValueAsString(line) + "\n").getBytes(StandardCharsets.UTF_8));
  }
}
