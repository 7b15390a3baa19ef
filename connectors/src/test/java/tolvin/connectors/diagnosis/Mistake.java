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

  /** Those on the way and on the client's machine. */
  static List<Mistake> ofClients() {
    List<Mistake> all = new ArrayList<>();
    ClientMistakes.addTo(all);
    return all;
  }

  /** Those on an OpenSSH server. */
  static List<Mistake> ofServers() {
    List<Mistake> all = new ArrayList<>();
    ServerMistakes.addTo(all);
    return all;
  }

  /** The same mistake, where something else is to be said of it. */
  Mistake meaning(CauseKind other) {
    return new Mistake(name, other, touches, provoke);
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
