package tolvin.core.registration;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import java.util.Set;
import java.util.UUID;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import net.jqwik.api.Example;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import net.jqwik.api.constraints.IntRange;
import org.assertj.core.api.SoftAssertions;
import tolvin.core.estate.IdentityKind;
import tolvin.core.registration.Course.Line;
import tolvin.core.registration.Crossing.Kind;
import tolvin.core.registration.Crossing.Owner;

class CourseTest {
  /** A registration that is carried out on made-up systems, with whatever comes of each line. */
  private static final class Run {
    final Random chance;
    final int atOnce;
    final List<Line> lines = new ArrayList<>();
    boolean isTested;
    int begun;

    Run(long seed, int atOnce, boolean isTested) {
      this.chance = new Random(seed);
      this.atOnce = atOnce;
      this.isTested = isTested;
      List<UUID> destinations = List.of(UUID.randomUUID(), UUID.randomUUID(), UUID.randomUUID());
      int count = 1 + chance.nextInt(40);
      for (int i = 0; i < count; i++) {
        lines.add(
            new Line(
                UUID.randomUUID(),
                destinations.get(chance.nextInt(3)),
                chance.nextInt(6) == 0,
                LineState.WAITING));
      }
    }

    Course course() {
      return new Course(lines, atOnce, isTested);
    }

    void becomes(UUID id, LineState state) {
      lines.replaceAll(
          l -> l.id().equals(id) ? new Line(id, l.destination(), l.byHand(), state) : l);
    }

    long count(LineState state) {
      return lines.stream().filter(l -> !l.byHand() && l.state() == state).count();
    }

    /** Begins what is to be begun, then lets something happen to some of what is on its way. */
    void turn() {
      Course.Turn turn = course().turn();
      for (Optional<UUID> next = turn.next(); next.isPresent(); next = turn.next()) {
        UUID id = next.get();
        Line line = lines.stream().filter(l -> l.id().equals(id)).findFirst().orElseThrow();
        assertThat(line.state()).isEqualTo(LineState.WAITING);
        begun++;
        LineState became =
            line.byHand()
                ? LineState.ASKED
                : List.of(
                        LineState.ON_ITS_WAY,
                        LineState.ON_ITS_WAY,
                        LineState.REFUSED,
                        LineState.THERE_ALREADY)
                    .get(chance.nextInt(4));
        becomes(id, became);
        turn.became(became);
      }
    }

    void happens() {
      List<UUID> going =
          lines.stream()
              .filter(l -> l.state() == LineState.ON_ITS_WAY)
              .map(Line::id)
              .collect(Collectors.toCollection(ArrayList::new));
      if (!going.isEmpty()) {
        becomes(
            going.get(chance.nextInt(going.size())),
            chance.nextInt(4) == 0 ? LineState.FAILED : LineState.DONE);
      }
    }
  }

  @Property(tries = 2000)
  void oneIsTestedBeforeTheOthersAndNoDestinationIsOverrun(
      @ForAll long seed, @ForAll @IntRange(min = 1, max = 5) int atOnce, @ForAll boolean said) {
    Run run = new Run(seed, atOnce, said);
    int turns = 0;
    while (!run.course().state().isOver()) {
      assertThat(turns++).isLessThan(100); // it always comes to an end
      boolean passed = run.isTested || run.count(LineState.DONE) > 0;
      if (run.course().state() == RegistrationState.STOPPED) {
        assertThat(passed).isFalse();
        assertThat(run.count(LineState.FAILED)).isPositive();
        assertThat(run.course().turn().next()).isEmpty();
        run.isTested = true; // a person says that it is to go on
        continue;
      }
      run.turn();
      Map<UUID, Long> busy =
          run.lines.stream()
              .filter(l -> l.state() == LineState.ON_ITS_WAY)
              .collect(Collectors.groupingBy(Line::destination, Collectors.counting()));
      assertThat(busy.values()).allMatch(many -> many <= atOnce);
      if (!passed) {
        assertThat(run.count(LineState.ON_ITS_WAY)).isLessThanOrEqualTo(1);
      }
      run.happens();
    }
    assertThat(run.begun).isEqualTo(run.lines.size()); // each once
    assertThat(run.lines).allMatch(l -> l.state().isOver());
  }

  @Example
  void aFailedTestStopsTheOthers() {
    UUID at = UUID.randomUUID();
    Line failed = new Line(UUID.randomUUID(), at, false, LineState.FAILED);
    Line next = new Line(UUID.randomUUID(), at, false, LineState.WAITING);
    Line asked = new Line(UUID.randomUUID(), at, true, LineState.WAITING);
    Course stopped = new Course(List.of(failed, next, asked), 4, false);
    assertThat(stopped.state()).isEqualTo(RegistrationState.STOPPED);
    assertThat(stopped.turn().next()).isEmpty();
    Course.Turn goesOn = new Course(stopped.lines(), 4, true).turn();
    assertThat(goesOn.next()).contains(next.id());
    assertThat(goesOn.next()).contains(asked.id());
    assertThat(goesOn.next()).isEmpty();
  }

  private static Owner person(String name) {
    return new Owner(name, IdentityKind.PERSON);
  }

  private static Owner service(String name) {
    return new Owner(name, IdentityKind.SERVICE_ACCOUNT);
  }

  private record Case(
      Optional<Owner> key, Optional<Owner> account, Set<String> there, Kind... is) {}

  /** Nothing is to be waited for where all stand there already. */
  @Example
  void whatIsThereAlreadyIsSeenInOneTurn() {
    UUID at = UUID.randomUUID();
    List<Line> lines =
        Stream.generate(() -> new Line(UUID.randomUUID(), at, false, LineState.WAITING))
            .limit(100)
            .toList();
    for (boolean tested : new boolean[] {false, true}) {
      Course.Turn turn = new Course(lines, 2, tested).turn();
      int begun = 0;
      while (turn.next().isPresent()) {
        turn.became(LineState.THERE_ALREADY);
        begun++;
      }
      assertThat(begun).isEqualTo(100);
    }
  }

  @Example
  void whatAPlacingCrosses() {
    List<Case> cases =
        List.of(
            new Case(Optional.of(person("Isla")), Optional.of(person("Isla")), Set.of()),
            new Case(Optional.of(service("feed")), Optional.empty(), Set.of("other")),
            new Case(Optional.empty(), Optional.of(person("Isla")), Set.of(), Kind.NO_OWNER),
            new Case(
                Optional.of(service("feed")),
                Optional.of(person("Isla")),
                Set.of(),
                Kind.SERVICE_KEY_ON_A_PERSONS_ACCOUNT),
            new Case(
                Optional.of(person("Tormod")),
                Optional.of(person("Isla")),
                Set.of("Isla"),
                Kind.ANOTHER_IDENTITY),
            new Case(
                Optional.of(person("Tormod")),
                Optional.of(service("feed")),
                Set.of("Tormod"),
                Kind.ANOTHER_IDENTITY,
                Kind.SECOND_KEY),
            new Case(
                Optional.of(service("feed")), Optional.empty(), Set.of("feed"), Kind.SECOND_KEY));
    SoftAssertions all = new SoftAssertions();
    Set<Kind> seen = new HashSet<>();
    for (Case one : cases) {
      List<Crossing> crossed = Crossing.of(one.key(), one.account(), "crane@yard", one.there());
      all.assertThat(crossed).extracting(Crossing::kind).containsExactly(one.is());
      crossed.forEach(c -> seen.add(c.kind()));
    }
    all.assertThat(seen).containsExactlyInAnyOrder(Kind.values());
    all.assertAll();
  }
}
