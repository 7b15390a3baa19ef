package tolvin.service.key;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Base64;
import java.util.HexFormat;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.UUID;
import java.util.regex.Pattern;
import tolvin.core.give.RevocationReading;
import tolvin.core.give.RevocationReading.RevokedCertificates;
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
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.store.ClockStore;

/**
 * Lists of compromised keys: fingerprints in any notation, one on a line; lines of keys; or a
 * binary key revocation list.
 */
@ApplicationScoped
public class Compromised {
  private static final int MOST = 2_000_000;
  private static final int MOST_NOTES = 20;
  private static final int PAGE = 1000;
  private static final String SHA1 = "SHA1:";
  private static final int SHA1_DIGITS = 27;
  private static final Pattern IN_SHA1 = Pattern.compile("(?i:SHA1:)[A-Za-z0-9+/]{27}=?");

  private final CompromisedStore store;
  private final KeyStore keys;
  private final Weaknesses weaknesses;
  private final ClockStore clock;
  private final Journal journal;

  Compromised(
      CompromisedStore store,
      KeyStore keys,
      Weaknesses weaknesses,
      ClockStore clock,
      Journal journal) {
    this.store = store;
    this.keys = keys;
    this.weaknesses = weaknesses;
    this.clock = clock;
    this.journal = journal;
  }

  /**
   * A list that was loaded.
   *
   * @param row the list
   * @param known how many registered keys stand on it
   * @param notes what was left out, for people
   */
  record Loaded(CompromisedRow row, int known, List<String> notes) {}

  /** What a list says: digests as keys' records spell them, and what could not be read. */
  private record Digests(Set<String> all, List<String> notes) {
    /** Says something, unless so much was said that nobody reads on. */
    void note(String sentence) {
      if (notes.size() < MOST_NOTES) {
        notes.add(sentence);
      } else if (notes.size() == MOST_NOTES) {
        notes.add("More was left out.");
      }
    }
  }

  @Transactional
  Loaded load(String name, byte[] content) {
    Digests digests = digests(content);
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
    store.addAll(row.id, digests.all());
    row.entries = store.count(row.id);
    row.loadedAt = now;
    List<UUID> known = new ArrayList<>(store.keysOn(row.id));
    known.addAll(bySha1(digests.all()));
    for (UUID key : known) {
      weaknesses.note(key, new Weakness(Weakness.Kind.COMPROMISED, row.name));
    }
    journal.write(
        "compromised-list.loaded",
        row.id,
        "List of compromised keys “" + row.name + "” loaded; " + known.size() + " of ours on it",
        Map.of("entries", row.entries, "known", known.size()));
    return new Loaded(row, known.size(), digests.notes());
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

  /** The live keys whose SHA-1 stands on a list; it is no part of their records. */
  private List<UUID> bySha1(Set<String> digests) {
    List<UUID> found = new ArrayList<>();
    if (digests.stream().noneMatch(digest -> digest.startsWith(SHA1))) {
      return found;
    }
    UUID after = null;
    do {
      List<KeyRow> some = keys.liveAfter(after, PAGE);
      some.stream()
          .filter(row -> digests.contains(Fingerprint.sha1(row.blob)))
          .forEach(row -> found.add(row.id));
      after = some.size() < PAGE ? null : some.get(PAGE - 1).id;
    } while (after != null);
    return found;
  }

  private static Digests digests(byte[] content) {
    Digests digests = new Digests(new LinkedHashSet<>(), new ArrayList<>());
    if (RevocationReading.isOne(content)) {
      read(content, digests);
    } else {
      lines(content, digests);
    }
    if (digests.all().isEmpty()) {
      throw Problem.invalid(
          ("The list names no key. " + String.join(" ", digests.notes())).strip(),
          "Give one fingerprint on each line (SHA-256, MD5 or SHA1:…), keys, or a list of revoked"
              + " keys.");
    }
    return digests;
  }

  private static void read(byte[] content, Digests digests) {
    try {
      RevocationReading reading = RevocationReading.read(content);
      reading.list().keys().forEach(key -> digests.all().add(key.fingerprintText()));
      reading.list().digests().forEach(digest -> digests.all().add(digest.value()));
      digests.all().addAll(reading.sha1());
      reading.leftOut().forEach(digests::note);
      for (RevokedCertificates some : reading.certificates()) {
        digests.note(
            "It revokes "
                + some.serials()
                + " certificates by number and "
                + some.keyIds()
                + " by name, of "
                + some.authority().map(key -> "the authority " + key).orElse("any authority")
                + "; Tolvin registers no certificates.");
      }
    } catch (RefusedException e) {
      throw Problem.invalid(e.refusal().sentence(), e.refusal().remedy());
    }
  }

  private static void lines(byte[] content, Digests digests) {
    int number = 0;
    for (String line : new String(content, StandardCharsets.UTF_8).split("\n")) {
      number++;
      String text = line.strip();
      if (text.isEmpty() || text.startsWith("#")) {
        continue;
      }
      Optional<String> digest = fingerprint(text).or(() -> key(text));
      if (digest.isEmpty()) {
        digests.note("Line " + number + " is neither a fingerprint nor a key.");
      }
      digest.ifPresent(digests.all()::add);
      if (digests.all().size() > MOST) {
        throw Problem.invalid(
            "The list has more than " + MOST + " entries.", "Load it in several parts.");
      }
    }
  }

  private static Optional<String> fingerprint(String text) {
    if (IN_SHA1.matcher(text).matches()) {
      return Optional.of(SHA1 + text.substring(SHA1.length(), SHA1.length() + SHA1_DIGITS));
    }
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
