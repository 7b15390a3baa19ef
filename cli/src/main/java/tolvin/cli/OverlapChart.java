package tolvin.cli;

import com.fasterxml.jackson.databind.JsonNode;
import java.time.Duration;
import java.time.Instant;
import java.util.List;

/**
 * The overlap chart in a terminal: for each tie the old and the new key on a common time axis. A
 * full block is where a key is both offered and accepted, a light one where it is only one of both;
 * below each row stand the proofs and uses. In every column some row must be full: that is the law.
 */
final class OverlapChart {
  private static final int WIDTH = 72;
  private static final List<String> STAGES =
      List.of("planned", "made", "placed", "supplied", "proven", "watched", "withdrawn", "done");

  private OverlapChart() {}

  /** The stages as a track, with the reached ones marked. */
  static String track(String stage) {
    StringBuilder track = new StringBuilder();
    int reached = STAGES.indexOf(stage);
    for (int i = 0; i < STAGES.size(); i++) {
      track.append(i == 0 ? "" : i <= reached ? " ━ " : " ─ ");
      track.append(i < reached ? "●" : i == reached ? "◉" : "○").append(' ').append(STAGES.get(i));
    }
    return track.toString();
  }

  static String of(JsonNode detail) {
    Instant from = Instant.parse(detail.at("/rotation/plannedAt").asText());
    JsonNode ended = detail.at("/rotation/endedAt");
    Instant to = Instant.parse((ended.isTextual() ? ended : detail.get("now")).asText());
    Duration margin = Duration.between(from, to).dividedBy(12).plusMillis(500);
    Instant left = from.minus(margin);
    Instant right = to.plus(margin);
    StringBuilder chart = new StringBuilder();
    for (JsonNode tie : detail.get("ties")) {
      chart.append(tie.get("tie").asText()).append("  (").append(tie.get("stage").asText());
      chart.append(")\n");
      row(chart, "old", tie.get("oldAccepted"), tie.get("oldOffered"), left, right, to);
      marks(chart, tie.get("marks"), "old", left, right);
      row(chart, "new", tie.get("newAccepted"), tie.get("newOffered"), left, right, to);
      marks(chart, tie.get("marks"), "new", left, right);
      chart.append('\n');
    }
    chart.append(
        "    █ offered and accepted  ░ only one of both  a account proof  s seat proof\n\n");
    return chart.toString();
  }

  private static void row(
      StringBuilder chart,
      String key,
      JsonNode accepted,
      JsonNode offered,
      Instant left,
      Instant right,
      Instant now) {
    chart.append(key).append(" ");
    for (int i = 0; i < WIDTH; i++) {
      Instant at =
          left.plus(Duration.between(left, right).multipliedBy(2L * i + 1).dividedBy(2L * WIDTH));
      boolean one = !at.isAfter(now) && covers(accepted, at);
      boolean other = !at.isAfter(now) && covers(offered, at);
      chart.append(one && other ? '█' : one || other ? '░' : ' ');
    }
    chart.append('\n');
  }

  private static void marks(
      StringBuilder chart, JsonNode marks, String key, Instant left, Instant right) {
    char[] line = " ".repeat(WIDTH).toCharArray();
    for (JsonNode mark : marks) {
      if (mark.get("key").asText().equals(key)) {
        long part =
            Duration.between(left, Instant.parse(mark.get("at").asText())).toMillis()
                * WIDTH
                / Math.max(1, Duration.between(left, right).toMillis());
        int at = (int) Math.max(0, Math.min(WIDTH - 1, part));
        line[at] = mark.get("kind").asText().charAt(0);
      }
    }
    chart.append("    ").append(new String(line).stripTrailing()).append('\n');
  }

  private static boolean covers(JsonNode span, Instant at) {
    if (span == null || span.isNull()) {
      return false;
    }
    boolean begun =
        !span.hasNonNull("from") || !at.isBefore(Instant.parse(span.get("from").asText()));
    return begun
        && (!span.hasNonNull("until") || at.isBefore(Instant.parse(span.get("until").asText())));
  }
}
