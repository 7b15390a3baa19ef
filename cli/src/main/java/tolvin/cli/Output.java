package tolvin.cli;

import java.io.IOException;
import java.nio.file.FileAlreadyExistsException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.nio.file.attribute.PosixFilePermissions;

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

  /** Refuses a path that something is at already. */
  static void mayBeNew(Path file) throws Refused {
    if (Files.exists(file, java.nio.file.LinkOption.NOFOLLOW_LINKS)) {
      throw new Refused(file + " is there already; it was left alone. Choose another name.");
    }
  }

  /** Writes a new file that only its owner can read, closed before its first byte. */
  static void writeClosed(Path file, byte[] content) throws Refused {
    mayBeNew(file);
    try {
      Files.createFile(
          file, PosixFilePermissions.asFileAttribute(PosixFilePermissions.fromString("rw-------")));
      Files.write(file, content, StandardOpenOption.SYNC);
    } catch (IOException e) {
      throw new Refused(file + " cannot be written: " + e.getMessage());
    }
  }

  /** A new directory for passing things on, which only its owner can enter. */
  static Path closedDirectory() throws IOException {
    return Files.createTempDirectory(
        "tolvin",
        PosixFilePermissions.asFileAttribute(PosixFilePermissions.fromString("rwx------")));
  }

  /** Removes a directory of our own with the files in it. */
  static void remove(Path directory) {
    if (directory == null) {
      return;
    }
    try (var files = Files.list(directory)) {
      files.forEach(file -> file.toFile().delete());
    } catch (IOException gone) {
      return;
    }
    directory.toFile().delete();
  }
}
