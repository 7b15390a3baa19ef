package tolvin.standins.local;

import java.io.IOException;
import java.io.InputStream;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;

/**
 * Trouble with a disk: nothing more can be written to it, or it holds up renames in OpenSSH servers
 * that were {@linkplain LocalSshServer#preload started with it}: a disk or a file system that is
 * stuck. What was held up happens when it is released, long after whoever asked for it has gone.
 */
public final class StalledRenames {
  private final Path library;
  private final Path control;

  private StalledRenames(Path library, Path control) {
    this.library = library;
    this.control = control;
  }

  /**
   * Compiles the library.
   *
   * @throws IOException if there is no C compiler
   */
  public static StalledRenames in(Path directory) throws IOException {
    Path source = directory.resolve("stall.c");
    Path control = directory.resolve("stall");
    Path library = directory.resolve("stall.so");
    try (InputStream code = StalledRenames.class.getResourceAsStream("stall.c")) {
      Files.copy(code, source);
    }
    LocalSshServer.run(
        List.of(
            "gcc",
            "-shared",
            "-fPIC",
            "-DCONTROL=\"" + control.toAbsolutePath() + "\"",
            "-o",
            library.toString(),
            source.toString(),
            "-ldl"));
    return new StalledRenames(library, control);
  }

  /** What a server has to be started with. */
  public Path library() {
    return library.toAbsolutePath();
  }

  /** Holds up every rename onto a path with this part in it, from now on. */
  public void hold(String part) throws IOException {
    Files.writeString(control, part);
  }

  /** Lets everything happen that was held up. */
  public void release() throws IOException {
    Files.deleteIfExists(control);
  }

  /** From now on nothing can be written to files with this part in their path: the disk is full. */
  public void fill(String part) throws IOException {
    Files.writeString(full(), part);
  }

  /** There is room again. */
  public void makeRoom() throws IOException {
    Files.deleteIfExists(full());
  }

  private Path full() {
    return control.resolveSibling(control.getFileName() + ".full");
  }
}
