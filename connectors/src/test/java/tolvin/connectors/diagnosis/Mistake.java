package tolvin.connectors.diagnosis;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.function.Consumer;
import tolvin.core.diagnosis.CauseKind;

/**
 * A mistake that people make, how it comes about on the stage, and what must be said first.
 *
 * @param name in words
 * @param expected the first cause
 * @param touches what of a scene it changes; two mistakes go together if these differ
 * @param provoke makes it
 */
record Mistake(String name, CauseKind expected, String touches, Consumer<Scene> provoke) {
  static final boolean ROOT = "root".equals(System.getProperty("user.name"));

  @Override
  public String toString() {
    return name;
  }

  static List<Mistake> all() {
    List<Mistake> all = new ArrayList<>();
    ClientMistakes.addTo(all);
    ServerMistakes.addTo(all);
    return all;
  }

  static void add(
      List<Mistake> all, String name, CauseKind kind, String touches, Consumer<Scene> provoke) {
    all.add(new Mistake(name, kind, touches, provoke));
  }

  /** Whether it changes which key it is about; such a mistake is made first. */
  boolean changesTheKey() {
    return touches.contains("type");
  }

  /** Whether the two can be made in one scene. */
  boolean goesWith(Mistake other) {
    return Arrays.stream(touches.split(" ")).noneMatch(List.of(other.touches.split(" "))::contains);
  }
}
