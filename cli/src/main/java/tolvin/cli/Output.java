package tolvin.cli;

import java.io.IOException;
import java.nio.file.FileAlreadyExistsException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;

/** Files that commands write: new ones only, and standard output for a dash. */
final class Output {
  private Output() {}

  /** Writes; a file that is there already is left alone. */
  static void write(String file, byte[] content) throws Refused {
    try {
      if (file.equals("-")) {
        System.out.write(content);
        System.out.flush();
      } else {
        Files.write(Path.of(file), content, StandardOpenOption.CREATE_NEW);
      }
    } catch (FileAlreadyExistsException e) {
      throw new Refused(file + " is there already; it was left alone. Choose another name.");
    } catch (IOException e) {
      throw new Refused(file + " cannot be written: " + e.getMessage());
    }
  }
}
