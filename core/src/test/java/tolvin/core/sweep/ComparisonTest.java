package tolvin.core.sweep;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.charset.StandardCharsets;
import java.security.SecureRandom;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.MethodSource;
import tolvin.core.authorized.AuthorizedKeys;
import tolvin.core.diagnosis.Circumstances.PathStep;
import tolvin.core.estate.Registered;
import tolvin.core.estate.SignInMode;
import tolvin.core.key.Fingerprint;
import tolvin.core.key.PublicKey;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.sweep.Books.Known;
import tolvin.core.sweep.Books.Placed;

/** Every kind of difference by itself, and none where there is none. */
class ComparisonTest {
  private static final Instant NOW = Instant.parse("2030-03-01T12:00:00Z");
  private static final PublicKey KEY = KeyPairMaker.ed25519(new SecureRandom()).key();
  private static final PublicKey OTHER = KeyPairMaker.ed25519(new SecureRandom()).key();
  private static final String MARK = "tolvin:aaaabbbbccccdddd";
  private static final String LINE = KEY.line("boats " + MARK);
  private static final Known FINE = known("Isla", false, null, null);

  /** What differs from an account on which all is well. */
  private static final class Case {
    private final String name;
    private final FindingKind kind;
    private final Severity severity;
    private List<String> lines = List.of(LINE);
    private Optional<String> owner = Optional.empty();
    private Known known = FINE;
    private boolean placed = true;
    private boolean needed = true;
    private Set<String> former = Set.of();
    private Set<String> moving = Set.of();
    private Map<Fingerprint, Instant> uses = Map.of(KEY.fingerprint(), NOW);
    private Instant since = NOW.minus(Duration.ofDays(200));
    private List<PathStep> path = List.of();
    private List<PathStep> furtherPath = List.of();
    private List<Seen.Door> doors = List.of();
    private SignInMode mode = SignInMode.KEY;
    private boolean own;

    /** What is found beside it, rightly. */
    private Set<FindingKind> besides = Set.of();

    Case(String name, FindingKind kind, Severity severity) {
      this.name = name;
      this.kind = kind;
      this.severity = severity;
    }

    @Override
    public String toString() {
      return name;
    }

    List<Finding> compared() {
      Books books =
          new Books(
              "boats@sftp",
              owner,
              SignInMode.KEY,
              placed
                  ? List.of(new Placed(KEY.fingerprint(), LINE, "boats", since, needed))
                  : List.of(),
              moving,
              former,
              known == null ? Map.of() : Map.of(KEY.fingerprint(), known),
              uses,
              Optional.of(NOW.minus(Duration.ofDays(300))),
              Duration.ofDays(90),
              Map.of(),
              own ? Set.of(KEY.fingerprint()) : Set.of());
      AuthorizedKeys file =
          AuthorizedKeys.of(String.join("\n", lines).getBytes(StandardCharsets.ISO_8859_1));
      List<Registered> registered =
          file.lines().stream().filter(l -> l.key().isPresent()).map(Registered::of).toList();
      return Comparison.of(
          books,
          new Seen(
              NOW,
              registered,
              IgnoredLines.of(file),
              path,
              furtherPath,
              Optional.of(1000L),
              doors,
              Optional.of(mode)));
    }
  }

  private static Known known(String identity, boolean left, String ended, String refused) {
    return new Known(
        Optional.ofNullable(identity),
        left,
        identity == null ? Optional.of("Isla") : Optional.empty(),
        Optional.ofNullable(ended),
        Optional.ofNullable(refused),
        List.of("fuel@sftp"));
  }

  private static Case of(
      String name, FindingKind kind, Severity severity, java.util.function.Consumer<Case> set) {
    Case made = new Case(name, kind, severity);
    set.accept(made);
    return made;
  }

  static Stream<Case> cases() {
    return Stream.of(
        of("all is well", null, null, c -> {}),
        of(
            "unknown, used",
            FindingKind.UNKNOWN_KEY,
            Severity.CRITICAL,
            c -> {
              c.placed = false;
              c.known = null;
              c.lines = List.of(KEY.line("who?"));
            }),
        of(
            "Tolvin's own key",
            null,
            null,
            c -> {
              c.placed = false;
              c.known = null;
              c.own = true;
            }),
        of(
            "unknown, never used",
            FindingKind.UNKNOWN_KEY,
            Severity.MAJOR,
            c -> {
              c.placed = false;
              c.known = null;
              c.uses = Map.of();
              c.lines = List.of(KEY.line("who?"));
            }),
        of("missing and needed", FindingKind.MISSING, Severity.CRITICAL, c -> c.lines = List.of()),
        of(
            "missing",
            FindingKind.MISSING,
            Severity.MAJOR,
            c -> {
              c.lines = List.of();
              c.needed = false;
            }),
        of(
            "ignored for a slip in its options",
            FindingKind.MISSING,
            Severity.CRITICAL,
            c -> {
              c.lines = List.of("tunnel=\"x\" " + LINE);
              c.besides = Set.of(FindingKind.DAMAGED_LINE);
            }),
        of(
            "options changed",
            FindingKind.CHANGED,
            Severity.MAJOR,
            c -> c.lines = List.of("no-pty " + LINE)),
        of(
            "title changed",
            FindingKind.CHANGED,
            Severity.MAJOR,
            c -> c.lines = List.of(KEY.line("renamed"))),
        of(
            "known elsewhere",
            FindingKind.WRONG_ACCOUNT,
            Severity.MAJOR,
            c -> {
              c.placed = false;
              c.lines = List.of(KEY.line("boats"));
            }),
        of(
            "somebody else's",
            FindingKind.OTHER_IDENTITY,
            Severity.CRITICAL,
            c -> {
              c.placed = false;
              c.owner = Optional.of("Tormod");
              c.lines = List.of(KEY.line("boats"));
            }),
        of(
            "left over",
            FindingKind.LEFT_OVER,
            Severity.MINOR,
            c -> {
              c.placed = false;
              c.known = null;
              c.uses = Map.of();
            }),
        of(
            "about to be placed or taken out",
            null,
            null,
            c -> {
              c.placed = false;
              c.moving = Set.of(LINE);
            }),
        of(
            "unknown, on two lines",
            FindingKind.UNKNOWN_KEY,
            Severity.CRITICAL,
            c -> {
              c.placed = false;
              c.known = null;
              c.lines = List.of(KEY.line("who?"), KEY.line("who?"), "no-pty " + KEY.line("who?"));
              c.besides = Set.of(FindingKind.DUPLICATE);
            }),
        of(
            "agreed entry changed into two",
            FindingKind.CHANGED,
            Severity.MAJOR,
            c -> {
              c.lines = List.of("no-pty " + LINE, KEY.line("renamed"));
              c.besides = Set.of(FindingKind.DUPLICATE);
            }),
        of(
            "the same rubbish twice",
            FindingKind.DAMAGED_LINE,
            Severity.MINOR,
            c -> c.lines = List.of(LINE, "ssh-ed25519 AAAA", "ssh-ed25519 AAAA")),
        of(
            "withdrawn and back",
            FindingKind.LEFT_OVER,
            Severity.MAJOR,
            c -> {
              c.placed = false;
              c.former = Set.of(MARK);
            }),
        of(
            "out of use",
            FindingKind.OUT_OF_USE,
            Severity.CRITICAL,
            c -> {
              c.placed = false;
              c.lines = List.of(KEY.line("boats"));
              c.known = known("Isla", false, "lost", "too weak");
            }),
        of(
            "too weak",
            FindingKind.WEAK,
            Severity.MAJOR,
            c -> c.known = known("Isla", false, null, "shorter than 3072")),
        of(
            "expired",
            FindingKind.EXPIRED,
            Severity.MINOR,
            c -> {
              c.lines = List.of("expiry-time=\"20300301\" " + LINE);
              c.known = FINE;
              c.placed = false;
              c.needed = false;
              c.besides = Set.of(FindingKind.LEFT_OVER);
            }),
        of(
            "owner left",
            FindingKind.OWNER_LEFT,
            Severity.MAJOR,
            c -> c.known = known("Isla", true, null, null)),
        of(
            "nobody's",
            FindingKind.NO_OWNER,
            Severity.MINOR,
            c -> c.known = known(null, false, null, null)),
        of("never used", FindingKind.UNUSED, Severity.MINOR, c -> c.uses = Map.of()),
        of(
            "last used long ago",
            FindingKind.UNUSED,
            Severity.MINOR,
            c -> c.uses = Map.of(KEY.fingerprint(), NOW.minus(Duration.ofDays(91)))),
        of(
            "new and not used yet",
            null,
            null,
            c -> {
              c.uses = Map.of();
              c.since = NOW.minus(Duration.ofDays(1));
            }),
        of(
            "there twice",
            FindingKind.DUPLICATE,
            Severity.MINOR,
            c -> c.lines = List.of(LINE, KEY.line("boats again"))),
        of(
            "a wrapped line",
            FindingKind.DAMAGED_LINE,
            Severity.MINOR,
            c ->
                c.lines = List.of(LINE, OTHER.line().substring(0, 40), OTHER.line().substring(40))),
        of(
            "a value that the server does not take",
            FindingKind.DAMAGED_LINE,
            Severity.MINOR,
            c -> c.lines = List.of(LINE, "permitopen=\"*:0\" " + OTHER.line("x"))),
        of(
            "a slip before our own line that a newer server may know",
            FindingKind.MISSING,
            Severity.CRITICAL,
            c -> {
              c.lines = List.of("no-ptty " + LINE);
              c.besides = Set.of(FindingKind.DAMAGED_LINE);
            }),
        of(
            "an option that a newer server may know",
            FindingKind.DAMAGED_LINE,
            Severity.CRITICAL,
            c -> {
              c.lines = List.of(LINE, "no-such-option " + OTHER.line("x"));
              c.besides = Set.of(FindingKind.UNKNOWN_KEY);
            }),
        of(
            "an intruder whose line only the server can read",
            FindingKind.UNKNOWN_KEY,
            Severity.MAJOR,
            c -> c.lines = List.of(LINE, "PTY,,no-touch-REQUIRED, " + OTHER.line("x"))),
        of(
            "an intruder before the end of a text in C",
            FindingKind.UNKNOWN_KEY,
            Severity.MAJOR,
            c -> c.lines = List.of(LINE, OTHER.line() + "\0 #")),
        of("a comment and blanks", null, null, c -> c.lines = List.of("# mine", "", "  ", LINE)),
        of(
            "directory too open",
            FindingKind.TOO_OPEN,
            Severity.CRITICAL,
            c -> c.path = List.of(new PathStep("/h/.ssh", true, 0770, 1000))),
        of(
            "file of another user",
            FindingKind.TOO_OPEN,
            Severity.CRITICAL,
            c -> c.path = List.of(new PathStep("/h/.ssh/authorized_keys", false, 0600, 1001))),
        of(
            "another file of its keys too open",
            FindingKind.TOO_OPEN,
            Severity.MAJOR,
            c -> c.furtherPath = List.of(new PathStep("/etc/keys/boats", false, 0660, 0))),
        of(
            "root may own it",
            null,
            null,
            c -> c.path = List.of(new PathStep("/h/.ssh/authorized_keys", false, 0644, 0))),
        of(
            "an authority's line",
            FindingKind.AUTHORITY,
            Severity.MAJOR,
            c -> c.lines = List.of(LINE, "cert-authority " + OTHER.line("ca"))),
        of(
            "a key command",
            FindingKind.KEY_COMMAND,
            Severity.MAJOR,
            c -> c.doors = List.of(new Seen.Door(FindingKind.KEY_COMMAND, "/bin/keys"))),
        of(
            "passwords too",
            FindingKind.PASSWORD_ALLOWED,
            Severity.MAJOR,
            c -> c.mode = SignInMode.EITHER));
  }

  @ParameterizedTest
  @MethodSource("cases")
  void aDifferenceIsFoundByItsKind(Case c) {
    List<Finding> found = c.compared();
    if (c.kind == null) {
      assertThat(found).isEmpty();
      return;
    }
    Set<FindingKind> kinds = new java.util.HashSet<>(c.besides);
    kinds.add(c.kind);
    assertThat(found).extracting(Finding::kind).as("nothing else").hasSameElementsAs(kinds);
    Finding finding = found.stream().filter(f -> f.kind() == c.kind).findFirst().orElseThrow();
    assertThat(finding.severity()).isEqualTo(c.severity);
    assertThat(finding.sentence()).contains("boats@sftp").endsWith(".");
    assertThat(c.compared()).as("the same again").isEqualTo(found);
    assertThat(found).as("one for each matter").doesNotHaveDuplicates();
    assertThat(found.stream().map(f -> f.kind() + f.subject())).doesNotHaveDuplicates();
  }

  @Test
  void otherDoorsAreReadFromAConfigurationWithItsConditions() {
    String text =
        """
        # AuthorizedKeysCommand /commented
        PasswordAuthentication no
        AuthorizedKeysFile .ssh/authorized_keys /etc/keys/%u
        include more.d/*.conf
        TrustedUserCAKeys none
        Match User boats
          AuthorizedKeysCommand=/usr/bin/keys %u
        """;
    List<Seen.Door> doors =
        ServerConfiguration.doors(
            text,
            pattern ->
                pattern.equals("more.d/*.conf")
                    ? List.of("TrustedUserCAKeys /etc/ca.pub\ninclude more.d/*.conf\n")
                    : List.of(),
            List.of("/home/boats/.ssh/authorized_keys"));
    assertThat(doors).extracting(Seen.Door::kind).startsWith(FindingKind.SECOND_FILE);
    assertThat(doors)
        .extracting(Seen.Door::what)
        .contains(
            "TrustedUserCAKeys /etc/ca.pub",
            "AuthorizedKeysCommand=/usr/bin/keys %u (where User boats)")
        .noneMatch(w -> w.contains("none") || w.contains("commented"));
  }

  @ParameterizedTest
  @CsvSource({
    ".ssh/authorized_keys, false",
    "%h/.ssh/authorized_keys, false",
    "\"%h/.ssh/authorized_keys\" /etc/keys/%u, false",
    "/etc/keys/%u .ssh/authorized_keys, false",
    "/etc/keys/%U, false",
    "/home/%u/.ssh/authorized_keys, false",
    "none, false",
    ".ssh/authorized_keys2, true",
    "sh/authorized_keys, true",
    ".ssh/authorized_keys .ssh/authorized_keys2, true",
    "/etc/keys/%u/more, true",
    "/etc/keys/all, true",
    "/etc/%u, true",
    "/etc/.eys/%u, true",
  })
  void aFileThatIsReadAnywayIsNoOtherDoor(String value, boolean isDoor) {
    List<String> known = List.of("/home/boats/.ssh/authorized_keys", "/etc/keys/boats");
    assertThat(ServerConfiguration.doors("AuthorizedKeysFile " + value, p -> List.of(), known))
        .hasSize(isDoor ? 1 : 0);
  }
}
