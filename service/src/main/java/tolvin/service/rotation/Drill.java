package tolvin.service.rotation;

import jakarta.enterprise.context.ApplicationScoped;
import java.util.Optional;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import org.jboss.logging.Logger;

/**
 * Failure drills: {@code tolvin.drill.halt=after:place} makes the process die at once, as if its
 * power was cut, when it comes to that point. Meant for rehearsing a crash on a test installation.
 */
@ApplicationScoped
class Drill {
  private static final Logger LOG = Logger.getLogger(Drill.class);
  private static final int POWER_CUT = 137;

  private final Optional<String> halt;

  Drill(@ConfigProperty(name = "tolvin.drill.halt") Optional<String> halt) {
    this.halt = halt;
  }

  /**
   * A point that was reached.
   *
   * @param when before (recorded, not done), after (done, not recorded), recorded
   * @param effect the effect's name; its first word counts
   */
  void reached(String when, String effect) {
    if (halt.isPresent() && halt.get().equals(when + ":" + effect.split(" ")[0])) {
      LOG.warnf("Failure drill: halting at %s", halt.get());
      Runtime.getRuntime().halt(POWER_CUT);
    }
  }
}
