package tolvin.cli;

import static org.assertj.core.api.Assertions.assertThat;

import java.time.Instant;
import java.util.List;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import tolvin.api.rotation.ChartMarkView;
import tolvin.api.rotation.ChartMarkView.Kind;
import tolvin.api.rotation.ChartMarkView.Side;
import tolvin.api.rotation.RotationDetailView;
import tolvin.api.rotation.RotationView;
import tolvin.api.rotation.SpanView;
import tolvin.api.rotation.TieProgressView;
import tolvin.core.rotation.Direction;
import tolvin.core.rotation.Outcome;
import tolvin.core.rotation.Stage;

class OverlapChartTest {
  private static final Instant START = Instant.parse("2030-03-01T11:00:00Z");

  /** Seconds since the start; a dash is an end that is open. */
  private static SpanView span(String from, String until) {
    return new SpanView(at(from), at(until));
  }

  private static Instant at(String seconds) {
    return seconds.equals("-") ? null : START.plusSeconds(Long.parseLong(seconds));
  }

  private static List<String> chart(
      SpanView oldAccepted, SpanView oldOffered, SpanView newAccepted, SpanView newOffered) {
    List<ChartMarkView> marks =
        List.of(
            new ChartMarkView(START.plusSeconds(20), Kind.ACCOUNT_PROOF, Side.NEW),
            new ChartMarkView(START.plusSeconds(99), Kind.SEAT_PROOF, Side.NEW));
    TieProgressView tie =
        new TieProgressView(
            "fuel → fuel@quay",
            Stage.DONE,
            oldAccepted,
            oldOffered,
            newAccepted,
            newOffered,
            marks);
    RotationView rotation =
        new RotationView(
            null,
            null,
            null,
            null,
            null,
            null,
            Stage.DONE,
            Direction.RUNNING,
            Outcome.DONE,
            null,
            null,
            false,
            null,
            false,
            "",
            "",
            null,
            START,
            START,
            START.plusSeconds(60));
    return OverlapChart.of(
            new RotationDetailView(rotation, START, List.of(tie), List.of(), List.of()))
        .lines()
        .toList();
  }

  @Test
  void inEveryColumnSomeKeyIsBothOfferedAndAccepted() {
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
  void aGapIsSeen() {
    List<String> chart = chart(span("-", "20"), span("-", "40"), span("30", "-"), span("40", "-"));
    assertThat(chart.get(1)).contains("█░");
    assertThat(chart.get(3)).contains("░█");
    int lost = chart.get(1).lastIndexOf('█') + 1;
    assertThat(chart.get(3).charAt(lost)).as("nothing lets it in there").isNotEqualTo('█');
    assertThat(chart(null, null, null, null).get(1).substring(4)).isBlank();
  }

  @ParameterizedTest
  @CsvSource({"PLANNED, 0", "PROVEN, 4", "DONE, 7"})
  void theTrackShowsHowFarItIs(Stage stage, int reached) {
    String track = OverlapChart.track(stage);
    assertThat(track.chars().filter(c -> c == '●')).hasSize(reached);
    assertThat(track.chars().filter(c -> c == '◉')).hasSize(1);
    assertThat(track.chars().filter(c -> c == '○')).hasSize(7 - reached);
  }
}
