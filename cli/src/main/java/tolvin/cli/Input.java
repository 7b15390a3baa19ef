package tolvin.cli;

import java.io.IOException;
import java.io.InputStream;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import tolvin.core.key.OneLine;
import tolvin.core.key.Reading;
import tolvin.core.key.RefusedException;

/** Files, and standard input for a dash. */
final class Input {
  private Input() {}

  /** The bytes of a file or of standard input, bounded. */
  static byte[] bytes(String file) throws Refused {
    try (InputStream in = file.equals("-") ? System.in : Files.newInputStream(Path.of(file))) {
      return in.readNBytes(OneLine.MAX_TEXT + 1);
    } catch (NoSuchFileException e) {
      throw new Refused("There is no file " + file + ".");
    } catch (IOException e) {
      throw new Refused(file + " cannot be read: " + e.getMessage());
    }
  }

  /** The one key in a file; looked at here, before anything is sent. */
  static Reading.Key key(String file) throws Refused {
    try {
      return OneLine.read(bytes(file)).orRefuse();
    } catch (RefusedException e) {
      String where =
          e.refusal().position() > 0 ? " (at byte " + (e.refusal().position() + 1) + ")" : "";
      throw new Refused(file + ": " + e.refusal().whole() + where);
    }
  }
}
