package tolvin.core.sweep;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.charset.StandardCharsets;
import java.security.SecureRandom;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Collections;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import java.util.Set;
import java.util.stream.IntStream;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import net.jqwik.api.constraints.Size;
import tolvin.core.authorized.AuthorizedKeys;
import tolvin.core.estate.Registered;
import tolvin.core.estate.SignInMode;
import tolvin.core.key.Fingerprint;
import tolvin.core.key.PublicKey;
import tolvin.core.pair.KeyPairMaker;

/**
 * Accounts with any number of keys, each in a state of its own, their lines in any order among
 * comments and rubbish: what is told of a key does not depend on what stands beside it.
 */
class ComparedWorldsTest {
  private static final Instant NOW = Instant.parse("2030-03-01T12:00:00Z");
  private static final List<PublicKey> KEYS =
      IntStream.range(0, 8).mapToObj(i -> KeyPairMaker.ed25519(new SecureRandom()).key()).toList();

  /** What became of a key, and what is to be told of it. */
  enum State {
    AS_AGREED,
    NOWHERE,
    TAKEN_OUT(FindingKind.MISSING),
    CHANGED(FindingKind.CHANGED),
    IGNORED(FindingKind.MISSING),
    TWICE(FindingKind.DUPLICATE),
    CHANGED_TWICE(FindingKind.CHANGED, FindingKind.DUPLICATE),
    NOBODY_KNOWS(FindingKind.UNKNOWN_KEY),
    NOBODY_KNOWS_TWICE(FindingKind.UNKNOWN_KEY, FindingKind.DUPLICATE),
    LEFT_OVER(FindingKind.LEFT_OVER),
    ON_ITS_WAY,
    TOLVINS_OWN,
    AUTHORITY(FindingKind.AUTHORITY),
    AUTHORITY_OF_AN_AGREED_ONE(FindingKind.AUTHORITY, FindingKind.MISSING);

    private final Set<FindingKind> told;

    State(FindingKind... told) {
      this.told = Set.of(told);
    }

    private boolean isAgreed() {
      return switch (this) {
        case AS_AGREED,
            TAKEN_OUT,
            CHANGED,
            IGNORED,
            TWICE,
            CHANGED_TWICE,
            AUTHORITY_OF_AN_AGREED_ONE ->
            true;
        default -> false;
      };
    }

    private List<String> lines(String agreed, String bare) {
      return switch (this) {
        case AS_AGREED, LEFT_OVER, ON_ITS_WAY, TOLVINS_OWN -> List.of(agreed);
        case CHANGED -> List.of("no-pty " + agreed);
        case IGNORED -> List.of("tunnel=\"x\" " + agreed);
        case TWICE -> List.of(agreed, bare);
        case CHANGED_TWICE -> List.of("no-pty " + agreed, bare);
        case NOBODY_KNOWS -> List.of(bare);
        case NOBODY_KNOWS_TWICE -> List.of(bare, "no-pty " + bare);
        case AUTHORITY, AUTHORITY_OF_AN_AGREED_ONE -> List.of("cert-authority " + bare);
        default -> List.of();
      };
    }
  }

  @Property(tries = 400)
  void eachKeyIsToldOfByItself(
      @ForAll @Size(min = 1, max = 8) List<State> states, @ForAll long seed) {
    Random random = new Random(seed);
    List<String> lines = new ArrayList<>();
    List<Books.Placed> placed = new ArrayList<>();
    Set<String> moving = new HashSet<>();
    Set<Fingerprint> own = new HashSet<>();
    Map<Fingerprint, Books.Known> known = new HashMap<>();
    Map<Fingerprint, Set<FindingKind>> expected = new HashMap<>();
    int ignored = 0;
    for (int i = 0; i < states.size(); i++) {
      State state = states.get(i);
      PublicKey key = KEYS.get(i);
      String agreed = key.line("boats tolvin:aaaabbbbccccddd" + (char) ('a' + i));
      lines.addAll(state.lines(agreed, key.line("who " + i)));
      if (state.isAgreed()) {
        placed.add(new Books.Placed(key.fingerprint(), agreed, "boats " + i, NOW, true));
        known.put(key.fingerprint(), ISLAS);
      } else if (state == State.ON_ITS_WAY) {
        moving.add(agreed);
      } else if (state == State.TOLVINS_OWN) {
        own.add(key.fingerprint());
      }
      if (!state.told.isEmpty()) {
        expected.put(key.fingerprint(), state.told);
      }
      ignored += state == State.IGNORED ? 1 : 0;
    }
    Collections.shuffle(lines, random);
    int rubbish = random.nextInt(3);
    for (int i = 0; i < rubbish; i++) {
      lines.add(random.nextInt(lines.size() + 1), "ssh-ed25519 AAAA" + i);
    }
    lines.add(random.nextInt(lines.size() + 1), "# what somebody noted");
    lines.add(random.nextInt(lines.size() + 1), "");

    Map<Fingerprint, Set<FindingKind>> told = new HashMap<>();
    int damaged = 0;
    for (Finding finding : compared(lines, placed, moving, own, known)) {
      if (finding.kind() == FindingKind.DAMAGED_LINE) {
        damaged++;
      } else {
        told.computeIfAbsent(finding.key().orElseThrow(), k -> new HashSet<>()).add(finding.kind());
      }
    }
    assertThat(told).as(String.join("\n", lines)).isEqualTo(expected);
    assertThat(damaged).as(String.join("\n", lines)).isEqualTo(rubbish + ignored);
  }

  private static final Books.Known ISLAS =
      new Books.Known(
          Optional.of("Isla"),
          false,
          Optional.empty(),
          Optional.empty(),
          Optional.empty(),
          List.of());

  private static List<Finding> compared(
      List<String> lines,
      List<Books.Placed> placed,
      Set<String> moving,
      Set<Fingerprint> own,
      Map<Fingerprint, Books.Known> known) {
    AuthorizedKeys file =
        AuthorizedKeys.of(String.join("\n", lines).getBytes(StandardCharsets.ISO_8859_1));
    List<Registered> registered =
        file.lines().stream().filter(line -> line.key().isPresent()).map(Registered::of).toList();
    Books books =
        new Books(
            "boats@sftp",
            Optional.empty(),
            SignInMode.KEY,
            placed,
            moving,
            Set.of(),
            known,
            Map.of(),
            Optional.empty(),
            Duration.ofDays(90),
            Map.of(),
            own);
    return Comparison.of(books, Seen.entries(NOW, registered, IgnoredLines.of(file)));
  }
}
