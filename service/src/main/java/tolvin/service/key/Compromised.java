package tolvin.service.key;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.util.Base64;
import java.util.HexFormat;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.UUID;
import tolvin.core.give.RevocationList;
import tolvin.core.intake.Intake;
import tolvin.core.intake.Item;
import tolvin.core.intake.Outcome;
import tolvin.core.key.Fingerprint;
import tolvin.core.key.FingerprintText;
import tolvin.core.key.FingerprintText.Notation;
import tolvin.core.key.RefusedException;
import tolvin.core.weak.Weakness;
import tolvin.service.journal.Journal;
import tolvin.service.problem.Checks;
import tolvin.service.problem.Problem;
import tolvin.service.record.key.CompromisedRow;
import tolvin.service.record.key.CompromisedStore;
import tolvin.service.store.ClockStore;

/**
 * Lists of compromised keys: fingerprints in any notation, one on a line; lines of keys; or a
 * binary key revocation list.
 */
@ApplicationScoped
public class Compromised {
  private static final int MOST = 2_000_000;

  private final CompromisedStore store;
  private final Weaknesses weaknesses;
  private final ClockStore clock;
  private final Journal journal;

  Compromised(CompromisedStore store, Weaknesses weaknesses, ClockStore clock, Journal journal) {
    this.store = store;
    this.weaknesses = weaknesses;
    this.clock = clock;
    this.journal = journal;
  }

  /**
   * A list that was loaded.
   *
   * @param row the list
   * @param known how many registered keys stand on it
   */
  record Loaded(CompromisedRow row, int known) {}

  @Transactional
  Loaded load(String name, byte[] content) {
    Set<String> digests = digests(content);
    Instant now = clock.now();
    CompromisedRow row = store.byName(Checks.text(name, "name")).orElse(null);
    if (row == null) {
      row = new CompromisedRow();
      row.id = clock.id(now);
      row.name = Checks.text(name, "name");
      row.loadedAt = now;
      store.add(row);
      store.flush();
    }
    store.addAll(row.id, digests);
    row.entries = store.count(row.id);
    row.loadedAt = now;
    List<UUID> known = store.keysOn(row.id);
    for (UUID key : known) {
      weaknesses.note(key, new Weakness(Weakness.Kind.COMPROMISED, row.name));
    }
    journal.write(
        "compromised-list.loaded",
        row.id,
        "List of compromised keys “" + row.name + "” loaded; " + known.size() + " of ours on it",
        Map.of("entries", row.entries, "known", known.size()));
    return new Loaded(row, known.size());
  }

  @Transactional
  List<CompromisedRow> lists() {
    return store.inForce();
  }

  @Transactional
  void remove(UUID id) {
    CompromisedRow row = store.get(id);
    if (row.validUntil == null) {
      row.validUntil = clock.now();
      weaknesses.forget(row.name);
      journal.write(
          "compromised-list.removed",
          id,
          "List of compromised keys “" + row.name + "” taken out of force",
          Map.of());
    }
  }

  /** The digests of a list, each as a key's record spells it. */
  private static Set<String> digests(byte[] content) {
    Set<String> digests = new LinkedHashSet<>();
    if (RevocationList.isOne(content)) {
      try {
        RevocationList list = RevocationList.read(content);
        list.keys().forEach(key -> digests.add(key.fingerprintText()));
        list.digests().forEach(digest -> digests.add(digest.value()));
        return digests;
      } catch (RefusedException e) {
        throw Problem.invalid(e.refusal().sentence(), e.refusal().remedy());
      }
    }
    int number = 0;
    for (String line : new String(content, StandardCharsets.UTF_8).split("\n")) {
      number++;
      String text = line.strip();
      if (text.isEmpty() || text.startsWith("#")) {
        continue;
      }
      Optional<String> digest = fingerprint(text).or(() -> key(text));
      int at = number;
      digests.add(
          digest.orElseThrow(
              () ->
                  Problem.invalid(
                      "Line " + at + " is neither a fingerprint nor a key; nothing was loaded.",
                      "Give one on each line: SHA-256 or MD5 in any notation, or a key.")));
      if (digests.size() > MOST) {
        throw Problem.invalid(
            "The list has more than " + MOST + " entries.", "Load it in several parts.");
      }
    }
    if (digests.isEmpty()) {
      throw Problem.invalid("The list is empty.", "Give one fingerprint on each line.");
    }
    return digests;
  }

  private static Optional<String> fingerprint(String text) {
    return FingerprintText.read(text)
        .filter(f -> f.digits().length() == f.notation().length())
        .map(Compromised::spelled);
  }

  private static String spelled(FingerprintText f) {
    if (f.notation() == Notation.MD5_HEX) {
      return "MD5:" + HexFormat.ofDelimiter(":").formatHex(HexFormat.of().parseHex(f.digits()));
    }
    return f.notation() == Notation.SHA256_BASE64
        ? new Fingerprint("SHA256:" + f.digits()).value()
        : "SHA256:"
            + Base64.getEncoder()
                .withoutPadding()
                .encodeToString(HexFormat.of().parseHex(f.digits()));
  }

  private static Optional<String> key(String text) {
    List<Item> items = Intake.read(text.getBytes(StandardCharsets.UTF_8));
    return items.size() == 1 && items.get(0).outcome() instanceof Outcome.Key key
        ? Optional.of(key.key().fingerprintText())
        : Optional.empty();
  }
}
