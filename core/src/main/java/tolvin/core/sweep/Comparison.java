package tolvin.core.sweep;

import java.time.Instant;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import tolvin.core.authorized.Admission;
import tolvin.core.diagnosis.Circumstances.PathStep;
import tolvin.core.estate.Registered;
import tolvin.core.estate.SignInMode;
import tolvin.core.key.Fingerprint;
import tolvin.core.key.PlainText;
import tolvin.core.word.Words;

/**
 * Compares what was seen on an account with the record. Pure; the same input, the same findings.
 */
public final class Comparison {
  private static final Pattern MARK = Pattern.compile("(?<!\\S)tolvin:[a-z2-7]{16}(?!\\S)");
  private static final int LONGEST = 300;
  private static final int MOST_LINES = 20;

  private final Books books;
  private final Seen seen;

  /** By kind and subject: the same matter on several lines is one finding. */
  private final Map<String, Finding> findings = new LinkedHashMap<>();

  private Comparison(Books books, Seen seen) {
    this.books = books;
    this.seen = seen;
  }

  /** The findings, the worst first. */
  public static List<Finding> of(Books books, Seen seen) {
    return new Comparison(books, seen).compared();
  }

  private List<Finding> compared() {
    Set<String> used = new HashSet<>();
    Set<Fingerprint> authorities = new HashSet<>();
    for (Registered entry : seen.registered()) {
      Admission.Kind kind = entry.kind();
      if (kind == Admission.Kind.AUTHORITY) {
        authorities.add(entry.key());
        add(
            FindingKind.AUTHORITY,
            entry.key().value(),
            entry.key(),
            Severity.MAJOR,
            "Certificates signed by " + entry.key().brief() + " sign in to " + books.account(),
            entry.line());
        continue;
      }
      boolean isOurs = books.placements().stream().anyMatch(p -> p.key().equals(entry.key()));
      if (kind == Admission.Kind.IGNORED || kind == Admission.Kind.DOUBTFUL && isOurs) {
        continue; // told of as such
      }
      entry(entry, used);
    }
    missing(authorities);
    twice();
    seen.ignored().forEach(this::ignored);
    seen.path().stream()
        .filter(this::isTooOpen)
        .forEach(step -> tooOpen(step, books.placements().isEmpty(), "all keys of "));
    seen.furtherPath().stream()
        .filter(this::isTooOpen)
        .forEach(step -> tooOpen(step, true, "the keys in further files of "));
    seen.doors().forEach(this::door);
    seen.modeSeen().ifPresent(this::mode);
    return findings.values().stream()
        .sorted(
            Comparator.comparing(Finding::severity)
                .thenComparing(Finding::kind)
                .thenComparing(Finding::subject))
        .toList();
  }

  private void entry(Registered entry, Set<String> used) {
    Fingerprint key = entry.key();
    Optional<Books.Placed> exact =
        books.placements().stream().filter(p -> p.line().equals(entry.line())).findFirst();
    if (books.ownKeys().contains(key)) {
      return;
    }
    if (books.moving().contains(entry.line())) {
      return; // a change that is under way puts it there or takes it out
    }
    Optional<Books.Known> known = Optional.ofNullable(books.keys().get(key));
    if (exact.isPresent() && used.add(entry.line())) {
      slot(entry);
    } else if (exact.isEmpty()) {
      unplaced(entry, known);
    }
    entry
        .expires()
        .filter(end -> !seen.at().isBefore(end))
        .ifPresent(
            end ->
                add(
                    FindingKind.EXPIRED,
                    key.value(),
                    key,
                    isNeeded(key) ? Severity.CRITICAL : Severity.MINOR,
                    key.brief() + " on " + books.account() + " ended at " + end,
                    entry.line()));
    known.ifPresent(k -> known(entry, k, exact));
    unused(entry, exact);
  }

  private void unplaced(Registered entry, Optional<Books.Known> known) {
    Fingerprint key = entry.key();
    Optional<Books.Placed> placed =
        books.placements().stream().filter(p -> p.key().equals(key)).findFirst();
    Matcher mark = MARK.matcher(entry.line());
    boolean ours = mark.find();
    if (placed.isPresent()) {
      if (seen.registered().stream().noneMatch(r -> r.line().equals(placed.get().line()))) {
        add(
            FindingKind.CHANGED,
            key.value(),
            key,
            Severity.MAJOR,
            "The entry of “" + placed.get().title() + "” on " + books.account() + " was changed",
            "agreed: " + placed.get().line() + "\nthere: " + entry.line());
      }
      return; // beside ours it stands there twice
    }
    if (ours) {
      boolean former = books.formerMarks().contains(mark.group());
      add(
          FindingKind.LEFT_OVER,
          key.value() + " " + mark.group(),
          key,
          lastUse(key).isPresent() ? Severity.MAJOR : Severity.MINOR,
          key.brief()
              + " on "
              + books.account()
              + (former
                  ? " was withdrawn, and stands there again"
                  : " was left by a change that" + " is not on record"),
          entry.line() + usedText(key));
      return;
    }
    if (known.isEmpty()) {
      add(
          FindingKind.UNKNOWN_KEY,
          key.value(),
          key,
          lastUse(key).isPresent() ? Severity.CRITICAL : Severity.MAJOR,
          "Nobody knows " + key.brief() + " on " + books.account(),
          entry.line() + usedText(key));
      return;
    }
    Books.Known k = known.get();
    if (k.outOfUse().isPresent()) {
      return; // told of as such
    }
    boolean other =
        books.owner().isPresent()
            && k.identity().isPresent()
            && !books.owner().equals(k.identity());
    add(
        other ? FindingKind.OTHER_IDENTITY : FindingKind.WRONG_ACCOUNT,
        key.value(),
        key,
        other ? Severity.CRITICAL : Severity.MAJOR,
        key.brief()
            + k.identity().map(i -> " of " + i).orElse(" of nobody")
            + " stands on "
            + books.account()
            + (other ? ", which belongs to " + books.owner().get() : ", where nobody placed it"),
        entry.line()
            + (k.elsewhere().isEmpty() ? "" : "\nplaced on: " + String.join(", ", k.elsewhere()))
            + usedText(key));
  }

  private void slot(Registered entry) {
    String before = books.slotsBefore().getOrDefault(entry.key(), "");
    String now = entry.details().slot();
    if (!before.isEmpty() && !now.isEmpty() && !before.equals(now)) {
      add(
          FindingKind.CHANGED,
          entry.key().value() + " slot",
          entry.key(),
          Severity.MAJOR,
          entry.key().brief() + " on " + books.account() + " moved from " + before + " to " + now,
          entry.line());
    }
  }

  private void known(Registered entry, Books.Known known, Optional<Books.Placed> placed) {
    Fingerprint key = entry.key();
    String at = " on " + books.account();
    known
        .outOfUse()
        .ifPresent(
            why ->
                add(
                    FindingKind.OUT_OF_USE,
                    key.value(),
                    key,
                    Severity.CRITICAL,
                    key.brief() + at + " is out of use (" + why + ") and still signs in",
                    entry.line() + usedText(key)));
    known
        .refused()
        .filter(why -> known.outOfUse().isEmpty())
        .ifPresent(
            why ->
                add(
                    FindingKind.WEAK,
                    key.value(),
                    key,
                    Severity.MAJOR,
                    key.brief() + at + " is weaker than the rules: " + why,
                    entry.line()));
    if (placed.isEmpty()) {
      return;
    }
    if (known.identityLeft()) {
      add(
          FindingKind.OWNER_LEFT,
          key.value(),
          key,
          Severity.MAJOR,
          known.identity().orElse("The owner") + " left; " + key.brief() + at + " still signs in",
          entry.line() + usedText(key));
    } else if (known.identity().isEmpty()) {
      add(
          FindingKind.NO_OWNER,
          key.value(),
          key,
          Severity.MINOR,
          key.brief() + at + " belongs to nobody",
          entry.line() + known.suggestion().map(s -> "\nperhaps: " + s).orElse(""));
    }
  }

  private void unused(Registered entry, Optional<Books.Placed> placed) {
    Instant limit = seen.at().minus(books.unusedAfter());
    boolean old = placed.filter(p -> p.since().isBefore(limit)).isPresent();
    boolean known = books.usesKnownSince().filter(since -> since.isBefore(limit)).isPresent();
    boolean told = entry.details().used().isPresent();
    Optional<Instant> last = lastUse(entry.key()).or(() -> entry.details().used());
    if (old && (known || told) && last.filter(at -> at.isAfter(limit)).isEmpty()) {
      add(
          FindingKind.UNUSED,
          entry.key().value(),
          entry.key(),
          Severity.MINOR,
          entry.key().brief()
              + " on "
              + books.account()
              + last.map(at -> " was last used at " + at).orElse(" was never used"),
          entry.line());
    }
  }

  /** An entry that nobody finds any more. */
  private void missing(Set<Fingerprint> authorities) {
    for (Books.Placed placed : books.placements()) {
      boolean there =
          seen.registered().stream()
              .filter(r -> r.key().equals(placed.key()) && !authorities.contains(r.key()))
              .anyMatch(r -> !r.ignored());
      if (!there) {
        add(
            FindingKind.MISSING,
            placed.key().value(),
            placed.key(),
            placed.needed() ? Severity.CRITICAL : Severity.MAJOR,
            "“" + placed.title() + "” is no longer on " + books.account(),
            "agreed: " + placed.line());
      }
    }
  }

  /** The same key in several entries. */
  private void twice() {
    Map<Fingerprint, List<Registered>> byKey = new HashMap<>();
    seen.registered().stream()
        .filter(r -> !r.ignored())
        .forEach(r -> byKey.computeIfAbsent(r.key(), k -> new ArrayList<>()).add(r));
    byKey.forEach(
        (key, entries) -> {
          if (entries.size() > 1) {
            add(
                FindingKind.DUPLICATE,
                key.value(),
                key,
                Severity.MINOR,
                key.brief() + " stands on " + books.account() + " " + entries.size() + " times",
                String.join("\n", entries.stream().map(Registered::line).toList()));
          }
        });
  }

  private void ignored(Seen.IgnoredLine line) {
    add(
        FindingKind.DAMAGED_LINE,
        Integer.toHexString((line.file() + line.text()).hashCode()),
        null,
        line.mayLetIn() ? Severity.CRITICAL : Severity.MINOR,
        "Line "
            + line.number()
            + (line.file().isEmpty() ? "" : " of " + line.file())
            + " of "
            + books.account()
            + (line.mayLetIn() ? " may let somebody in: " : " is ignored by the server: ")
            + line.why(),
        line.text());
  }

  /** As sshd with StrictModes: writable by nobody else, and owned by the account or by root. */
  private boolean isTooOpen(PathStep step) {
    boolean foreign =
        seen.ownerId().filter(id -> step.owner() != id && step.owner() != 0).isPresent();
    return step.isOpen() || foreign;
  }

  private void tooOpen(PathStep step, boolean concernsNoPlacement, String keys) {
    String what = step.directory() ? "directory" : "file";
    add(
        FindingKind.TOO_OPEN,
        step.path(),
        null,
        concernsNoPlacement ? Severity.MAJOR : Severity.CRITICAL,
        "The server ignores "
            + keys
            + books.account()
            + ": bad ownership or modes for "
            + what
            + " "
            + step.path(),
        String.format("mode %04o, owner %d", step.mode(), step.owner()));
  }

  private void door(Seen.Door door) {
    add(door(books.account(), door));
  }

  /** The finding that an account, or a whole server, has a door besides the entries. */
  public static Finding door(String where, Seen.Door door) {
    return new Finding(
        door.kind(),
        Integer.toHexString(door.what().hashCode()),
        Optional.empty(),
        door.kind() == FindingKind.DOORS_UNKNOWN ? Severity.MINOR : Severity.MAJOR,
        door.kind() == FindingKind.DOORS_UNKNOWN
            ? "The configuration of " + where + " could not be read."
            : where + " has another door: " + door.kind().title() + ".",
        shown(door.what()));
  }

  private void mode(SignInMode mode) {
    boolean byPassword = mode == SignInMode.PASSWORD || mode == SignInMode.EITHER;
    if (byPassword && books.signInMode() == SignInMode.KEY) {
      add(
          FindingKind.PASSWORD_ALLOWED,
          Words.of(mode),
          null,
          Severity.MAJOR,
          books.account() + " is meant for keys, and a password signs in too",
          "the server offers: " + Words.of(mode));
    }
  }

  private Optional<Instant> lastUse(Fingerprint key) {
    return Optional.ofNullable(books.lastUses().get(key));
  }

  private String usedText(Fingerprint key) {
    return lastUse(key).map(at -> "\nlast used: " + at).orElse("");
  }

  private boolean isNeeded(Fingerprint key) {
    return books.placements().stream().anyMatch(p -> p.key().equals(key) && p.needed());
  }

  private void add(
      FindingKind kind,
      String subject,
      Fingerprint key,
      Severity severity,
      String sentence,
      String evidence) {
    add(
        new Finding(
            kind,
            subject,
            Optional.ofNullable(key),
            severity,
            sentence + ".",
            String.join("\n", evidence.lines().map(Comparison::shown).toList())));
  }

  private void add(Finding finding) {
    findings.merge(finding.kind() + " " + finding.subject(), finding, Comparison::both);
  }

  /** The same matter seen once more: the worse of both, with what was seen each time. */
  private static Finding both(Finding one, Finding other) {
    Finding worse = one.severity().compareTo(other.severity()) <= 0 ? one : other;
    String evidence =
        Stream.concat(one.evidence().lines(), other.evidence().lines())
            .distinct()
            .limit(MOST_LINES)
            .collect(Collectors.joining("\n"));
    return new Finding(
        worse.kind(), worse.subject(), worse.key(), worse.severity(), worse.sentence(), evidence);
  }

  private static String shown(String line) {
    String plain = PlainText.shown(line);
    return plain.length() > LONGEST ? plain.substring(0, LONGEST) + "…" : plain;
  }
}
