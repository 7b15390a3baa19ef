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
 */
class DiagnosisTest {
  @TempDir static Path directory;
  private static final int SOME = 25;
  private static final List<String> ROWS = new ArrayList<>();

  private static Stage stage;

  @BeforeAll
  static void start() throws IOException {
    stage = new Stage(directory);
  }

  @AfterAll
  static void stop() throws IOException {
    stage.close();
    String table = System.getenv("TOLVIN_DIAGNOSIS_TABLE");
    if (table != null) {
      Files.write(Path.of(table), ROWS);
    }
  }

  /** A row of the table in the documentation. */
  private static String row(Mistake mistake, Cause first) {
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
                mistake.name(),
                saw.length() > 90 ? saw.substring(0, 90) + "…" : saw,
                first
                    .sentence()
                    .replace(directory.toString(), "…")
                    .replaceAll("SHA256:[A-Za-z0-9+/]{43}", "SHA256:…"),
                evidence.length() > 160 ? evidence.substring(0, 160) + "…" : evidence,
                first.remedy()))
        + " |";
  }

  static Stream<Mistake> mistakes() {
    return Mistake.all().stream();
  }

  @ParameterizedTest
  @MethodSource("mistakes")
  void theFirstCauseIsTheMistake(Mistake mistake) throws Exception {
    Scene scene = stage.scene();
    mistake.provoke().accept(scene);
    Diagnosis diagnosis = scene.explained();
    assertThat(diagnosis.causes()).as("%s: %s", mistake, stage.lastAnswer).isNotEmpty();
    assertThat(diagnosis.causes().get(0).kind())
        .as("%s: %s: %s", mistake, stage.lastAnswer, diagnosis)
        .isEqualTo(mistake.expected());
    assertThat(diagnosis.causes().get(0).evidence()).isNotEmpty();
    ROWS.add(row(mistake, diagnosis.causes().get(0)));
  }

  /**
   * Two mistakes at once: the first cause must be one of them, or must not claim to be certain. A
   * part of all pairs is drawn anew each time; {@code TOLVIN_PAIRS=all} in the environment makes
   * every one.
   */
  @Test
  void ofTwoMistakesTheFirstCauseIsOne() throws Exception {
    List<Pair> pairs = new ArrayList<>();
    List<Mistake> all = Mistake.all();
    for (Mistake one : all) {
      all.stream().filter(one::goesWith).forEach(other -> pairs.add(new Pair(one, other)));
    }
    Collections.shuffle(pairs, new Random());
    boolean every = "all".equals(System.getenv("TOLVIN_PAIRS"));
    int right = 0;
    int both = 0;
    List<String> wrong = new ArrayList<>();
    List<Pair> tried = every ? pairs : pairs.subList(0, Math.min(SOME, pairs.size()));
    for (Pair pair : tried) {
      Scene scene = stage.scene();
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
        wrong.add(pair + " -> " + diagnosis);
      }
    }
    System.out.printf(
        "%d of %d pairs: first cause right %d, both named %d, confident and wrong %d%n",
        tried.size(), pairs.size(), right, both, wrong.size());
    assertThat(wrong).isEmpty();
  }

  private record Pair(Mistake one, Mistake other) {}
}
