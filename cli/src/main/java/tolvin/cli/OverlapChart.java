package tolvin.cli;

import java.time.Duration;
import java.time.Instant;
import java.util.List;
import tolvin.api.rotation.ChartMarkView;
import tolvin.api.rotation.ChartMarkView.Side;
import tolvin.api.rotation.RotationDetailView;
import tolvin.api.rotation.SpanView;
import tolvin.api.rotation.TieProgressView;
import tolvin.core.rotation.Stage;
import tolvin.core.word.Words;

/**
 * The overlap chart in a terminal: for each tie the old and the new key on a common time axis. A
 * full block is where a key is both offered and accepted, a light one where it is only one of both;
 * below each row stand the proofs and uses. In every column some row must be full: that is the law.
 */
final class OverlapChart {
  private static final int WIDTH = 72;

  private OverlapChart() {}

  /** The stages as a track, with the reached ones marked. */
  static String track(Stage stage) {
    StringBuilder track = new StringBuilder();
    int reached = stage.ordinal();
    for (int i = 0; i < Stage.values().length; i++) {
      track.append(i == 0 ? "" : i <= reached ? " ━ " : " ─ ");
      track.append(i < reached ? "●" : i == reached ? "◉" : "○").append(' ');
      track.append(Words.of(Stage.values()[i]));
    }
    return track.toString();
  }

  static String of(RotationDetailView detail) {
    Instant from = detail.rotation().plannedAt();
    Instant ended = detail.rotation().endedAt();
    Instant to = ended == null ? detail.now() : ended;
    Duration margin = Duration.between(from, to).dividedBy(12).plusMillis(500);
    Instant left = from.minus(margin);
    Instant right = to.plus(margin);
    StringBuilder chart = new StringBuilder();
    for (TieProgressView tie : detail.ties()) {
      chart.append(tie.tie()).append("  (").append(Words.of(tie.stage()));
      chart.append(")\n");
      row(chart, "old", tie.oldAccepted(), tie.oldOffered(), left, right, to);
      marks(chart, tie.marks(), Side.OLD, left, right);
      row(chart, "new", tie.newAccepted(), tie.newOffered(), left, right, to);
      marks(chart, tie.marks(), Side.NEW, left, right);
      chart.append('\n');
    }
    chart.append(
        "    █ offered and accepted  ░ only one of both  a account proof  s seat proof\n\n");
    return chart.toString();
  }

  private static void row(
      StringBuilder chart,
      String key,
      SpanView accepted,
      SpanView offered,
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
      StringBuilder chart, List<ChartMarkView> marks, Side key, Instant left, Instant right) {
    char[] line = " ".repeat(WIDTH).toCharArray();
    for (ChartMarkView mark : marks) {
      if (mark.key() == key) {
        long part =
            Duration.between(left, mark.at()).toMillis()
                * WIDTH
                / Math.max(1, Duration.between(left, right).toMillis());
        int at = (int) Math.max(0, Math.min(WIDTH - 1, part));
        line[at] = Words.of(mark.kind()).charAt(0);
      }
    }
    chart.append("    ").append(new String(line).stripTrailing()).append('\n');
  }

  private static boolean covers(SpanView span, Instant at) {
    return span != null
        && (span.from() == null || !at.isBefore(span.from()))
        && (span.until() == null || at.isBefore(span.until()));
  }
}
