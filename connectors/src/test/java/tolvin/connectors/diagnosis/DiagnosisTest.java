package tolvin.connectors.diagnosis;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import java.util.Random;
import java.util.stream.Stream;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.MethodSource;
import tolvin.core.diagnosis.Cause;
import tolvin.core.diagnosis.Cause.Certainty;
import tolvin.core.diagnosis.CauseKind;
import tolvin.core.diagnosis.Diagnosis;

/**
 * Every mistake of the table, made on a real server with the machine's own client, is explained.
 * Pairs of mistakes are drawn; {@code TOLVIN_PAIRS} in the environment says how many on each
 * system, and {@code all} makes everything that is drawn otherwise.
 */
class DiagnosisTest {
  @TempDir static Path directory;

  /** How many of the client's mistakes, and of the pairs, are made on a system at each check. */
  private static final int SOME = 4;

  private static final String PAIRS = System.getenv().getOrDefault("TOLVIN_PAIRS", "6");
  private static final boolean ALL = PAIRS.equals("all");
  private static final List<String> ROWS = new ArrayList<>();

  private static Stage stage;
  private static Grounds grounds;

  @BeforeAll
  static void start() throws IOException {
    stage = new Stage(directory);
    grounds = new Grounds(stage);
  }

  @AfterAll
  static void stop() throws IOException {
    grounds.close();
    stage.close();
    String table = System.getenv("TOLVIN_DIAGNOSIS_TABLE");
    if (table != null) {
      Files.write(Path.of(table), ROWS);
    }
  }

  /** A row of the table in the documentation. */
  private static String row(Made made, Cause first) {
    String evidence =
        first
            .evidence()
            .get(0)
            .replace(directory.toString(), "…")
            .replaceAll("SHA256:[A-Za-z0-9+/]{43}", "SHA256:…")
            .replaceAll("\\bu\\d+\\b", "isla")
            .replaceAll(" port \\d+", " port …");
    String saw =
        stage.lastAnswer.replaceAll("\\bu\\d+[-a-z]*@", "isla@").replaceAll("[0-9]{5}", "…");
    return "| "
        + String.join(
            " | ",
            List.of(
                made.toString(),
                saw.length() > 90 ? saw.substring(0, 90) + "…" : saw,
                first
                    .sentence()
                    .replace(directory.toString(), "…")
                    .replaceAll("SHA256:[A-Za-z0-9+/]{43}", "SHA256:…"),
                evidence.length() > 160 ? evidence.substring(0, 160) + "…" : evidence,
                first.remedy()))
        + " |";
  }

  /** A mistake on a system. */
  private record Made(Ground ground, Mistake mistake) {
    @Override
    public String toString() {
      return ground.name() + ": " + mistake;
    }
  }

  /**
   * The client's mistakes are nearly the same everywhere: some of them are drawn for each system.
   */
  private static List<Mistake> drawn(Ground ground) {
    List<Mistake> usual = new ArrayList<>(ground.usual());
    Collections.shuffle(usual, new Random());
    boolean whole = ALL || ground == stage.openSsh;
    List<Mistake> drawn = ground.own();
    drawn.addAll(whole ? usual : usual.subList(0, Math.min(SOME, usual.size())));
    return drawn;
  }

  static Stream<Made> mistakes() {
    return grounds.all().stream()
        .flatMap(ground -> drawn(ground).stream().map(m -> new Made(ground, m)));
  }

  @ParameterizedTest
  @MethodSource("mistakes")
  void theFirstCauseIsTheMistake(Made made) throws Exception {
    Scene scene = stage.scene(made.ground());
    made.mistake().provoke().accept(scene);
    Diagnosis diagnosis = scene.explained();
    assertThat(diagnosis.causes()).as("%s: %s", made, stage.lastAnswer).isNotEmpty();
    assertThat(diagnosis.causes().get(0).kind())
        .as("%s: %s: %s", made, stage.lastAnswer, diagnosis)
        .isEqualTo(made.mistake().expected());
    assertThat(diagnosis.causes().get(0).evidence()).isNotEmpty();
    ROWS.add(row(made, diagnosis.causes().get(0)));
  }

  @Test
  void withoutAMistakeTheClientIsLetInEverywhere() throws Exception {
    for (Ground ground : grounds.all()) {
      Diagnosis diagnosis = stage.scene(ground).explained();
      assertThat(diagnosis.causes()).as("%s: %s", ground.name(), stage.lastAnswer).isEmpty();
    }
  }

  /**
   * Two mistakes at once: the first cause must be one of them, or must not claim to be certain. A
   * part of all pairs is drawn anew each time.
   */
  @Test
  void ofTwoMistakesTheFirstCauseIsOne() throws Exception {
    List<String> wrong = new ArrayList<>();
    for (Ground ground : grounds.all()) {
      List<Mistake> all = ground.mistakes();
      List<Pair> pairs = new ArrayList<>();
      for (Mistake one : all) {
        all.stream().filter(one::goesWith).forEach(other -> pairs.add(new Pair(one, other)));
      }
      Collections.shuffle(pairs, new Random());
      int most = ALL ? pairs.size() : Math.min(Integer.parseInt(PAIRS), pairs.size());
      List<Pair> tried = pairs.subList(0, most);
      int right = 0;
      int both = 0;
      int before = wrong.size();
      for (Pair pair : tried) {
        Scene scene = stage.scene(ground);
        Pair made = pair.other().changesTheKey() ? new Pair(pair.other(), pair.one()) : pair;
        made.one().provoke().accept(scene);
        made.other().provoke().accept(scene);
        Diagnosis diagnosis = scene.explained();
        List<CauseKind> kinds = diagnosis.causes().stream().map(Cause::kind).toList();
        List<CauseKind> meant = List.of(pair.one().expected(), pair.other().expected());
        boolean first = !kinds.isEmpty() && meant.contains(kinds.get(0));
        right += first ? 1 : 0;
        both += kinds.containsAll(meant) ? 1 : 0;
        if (!first
            && (kinds.isEmpty() || diagnosis.causes().get(0).certainty() == Certainty.CERTAIN)) {
          wrong.add(ground.name() + ": " + pair + " -> " + diagnosis);
        }
      }
      System.out.printf(
          "%s: of %d of %d pairs: first cause right %d, both named %d, confident and wrong %d%n",
          ground.name(), tried.size(), pairs.size(), right, both, wrong.size() - before);
    }
    assertThat(wrong).isEmpty();
  }

  private record Pair(Mistake one, Mistake other) {}
}
