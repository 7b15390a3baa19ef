package tolvin.cli;

import static org.assertj.core.api.Assertions.assertThat;

import com.fasterxml.jackson.databind.JsonNode;
import java.time.Instant;
import java.util.List;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

class OverlapChartTest {
  private static final Instant START = Instant.parse("2030-03-01T11:00:00Z");

  /** Seconds since the start; a dash is an end that is open. */
  private static String span(String from, String until) {
    return "{"
        + (from.equals("-") ? "" : "\"from\":\"" + START.plusSeconds(Long.parseLong(from)) + "\"")
        + (from.equals("-") || until.equals("-") ? "" : ",")
        + (until.equals("-")
            ? ""
            : "\"until\":\"" + START.plusSeconds(Long.parseLong(until)) + "\"")
        + "}";
  }

  private static List<String> chart(
      String oldAccepted, String oldOffered, String newAccepted, String newOffered)
      throws Exception {
    JsonNode detail =
        Service.JSON.readTree(
            String.format(
                """
                {"rotation": {"plannedAt": "%s", "endedAt": "%s"},
                 "ties": [{"tie": "fuel → fuel@quay", "stage": "done",
                   "oldAccepted": %s, "oldOffered": %s, "newAccepted": %s, "newOffered": %s,
                   "marks": [{"key": "new", "kind": "account", "at": "%s"},
                             {"key": "new", "kind": "seat", "at": "%s"}]}]}
                """,
                START,
                START.plusSeconds(60),
                oldAccepted,
                oldOffered,
                newAccepted,
                newOffered,
                START.plusSeconds(20),
                START.plusSeconds(99)));
    return OverlapChart.of(detail).lines().toList();
  }

  @Test
  void inEveryColumnSomeKeyIsBothOfferedAndAccepted() throws Exception {
    List<String> chart = chart(span("-", "50"), span("-", "30"), span("10", "-"), span("30", "-"));
    assertThat(chart.get(0)).isEqualTo("fuel → fuel@quay  (done)");
    String before = chart.get(1).substring(4);
    String after = chart.get(3).substring(4);
    assertThat(before).hasSize(72).startsWith("█████").contains("█░").endsWith(" ");
    assertThat(after).hasSize(72).startsWith(" ").contains("░█");
    int now = after.lastIndexOf('█');
    for (int i = 0; i <= now; i++) {
      assertThat(before.charAt(i) == '█' ^ after.charAt(i) == '█').as("column %s", i).isTrue();
    }
    assertThat(after.substring(now + 1)).as("what is to come").isBlank();
    assertThat(chart.get(2)).as("marks of the old one").isBlank();
    assertThat(chart.get(4).strip())
        .as("marks stay in the chart")
        .matches("a +s")
        .hasSizeLessThan(72);
  }

  @Test
  void aGapIsSeen() throws Exception {
    List<String> chart = chart(span("-", "20"), span("-", "40"), span("30", "-"), span("40", "-"));
    assertThat(chart.get(1)).contains("█░");
    assertThat(chart.get(3)).contains("░█");
    int lost = chart.get(1).lastIndexOf('█') + 1;
    assertThat(chart.get(3).charAt(lost)).as("nothing lets it in there").isNotEqualTo('█');
    assertThat(chart("null", "null", "null", "null").get(1).substring(4)).isBlank();
  }

  @ParameterizedTest
  @CsvSource({"planned, 0", "proven, 4", "done, 7", "never, -1"})
  void theTrackShowsHowFarItIs(String stage, int reached) {
    String track = OverlapChart.track(stage);
    assertThat(track.chars().filter(c -> c == '●')).hasSize(Math.max(0, reached));
    assertThat(track.chars().filter(c -> c == '◉')).hasSize(reached < 0 ? 0 : 1);
    assertThat(track.chars().filter(c -> c == '○')).hasSize(reached < 0 ? 8 : 7 - reached);
  }
}
