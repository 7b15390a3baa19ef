package tolvin.service.effect;

import jakarta.enterprise.context.ApplicationScoped;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.util.Optional;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import org.jboss.logging.Logger;
import tolvin.core.rotation.EffectKind;
import tolvin.core.word.Words;

/**
 * Failure drills on a test installation: in the directory {@code tolvin.drill} a file that is named
 * like a point, {@code after:place}, says what happens there. With {@code halt} in it the process
 * dies at once, as if its power was cut; with {@code drop} the worker is lost in the middle of its
 * work, and its lease runs out. The first one to come to the point takes the file away, so that
 * each happens once, however many instances there are.
 */
@ApplicationScoped
class Drill {
  private static final Logger LOG = Logger.getLogger(Drill.class);
  private static final int POWER_CUT = 137;

  private final Optional<Path> directory;

  Drill(@ConfigProperty(name = "tolvin.drill") Optional<Path> directory) {
    this.directory = directory;
  }

  /** A worker that is lost: nothing is tidied up behind it, as if its process had died. */
  static final class Dropped extends Error {
    private static final long serialVersionUID = 1;

    Dropped(String point) {
      super("Failure drill: the worker is lost at " + point);
    }
  }

  /**
   * A point that was reached.
   *
   * @param when before (recorded, not done), after (done, not recorded), recorded
   * @param effect the kind of effect
   */
  void reached(String when, EffectKind effect) {
    directory.ifPresent(d -> reached(d.resolve(when + ":" + Words.of(effect))));
  }

  private static void reached(Path point) {
    String what;
    try {
      what = Files.readString(point).strip();
      Files.delete(point); // fails for all but one
    } catch (NoSuchFileException nothingPlanned) {
      return;
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
    LOG.warnf("Failure drill: %s at %s", what, point.getFileName());
    if (what.equals("halt")) {
      Runtime.getRuntime().halt(POWER_CUT);
    }
    throw new Dropped(point.getFileName().toString());
  }
}
