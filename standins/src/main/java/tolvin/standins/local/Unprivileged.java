package tolvin.standins.local;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFileAttributeView;
import java.util.ArrayList;
import java.util.List;
import java.util.stream.Stream;

/**
 * The user that local servers run as: whoever we are, or, for root, the user that Debian's
 * PostgreSQL package brings, since neither PostgreSQL nor a server that needs no privileges should
 * run as root.
 */
public final class Unprivileged {
  private static final boolean ROOT = "root".equals(System.getProperty("user.name"));
  private static final String SERVER_USER = "postgres";

  private Unprivileged() {}

  /** The numeric user id that servers run with. */
  public static String uid() {
    return id("-u");
  }

  /** The numeric group id that servers run with. */
  public static String gid() {
    return id("-g");
  }

  /** The name of that user. */
  public static String user() {
    return id("-un");
  }

  /** The name of its group. */
  public static String group() {
    return id("-gn");
  }

  /** The command line that runs a command as that user. */
  public static List<String> command(List<String> command) {
    if (!ROOT) {
      return command;
    }
    List<String> whole =
        new ArrayList<>(
            List.of(
                "setpriv", "--reuid", uid(), "--regid", gid(), "--clear-groups", "--no-new-privs"));
    whole.addAll(command);
    return whole;
  }

  /** Gives a directory, with all below it, to that user. */
  public static void own(Path directory) throws IOException {
    if (!ROOT) {
      return;
    }
    var user =
        directory
            .getFileSystem()
            .getUserPrincipalLookupService()
            .lookupPrincipalByName(SERVER_USER);
    var group =
        directory
            .getFileSystem()
            .getUserPrincipalLookupService()
            .lookupPrincipalByGroupName(SERVER_USER);
    try (Stream<Path> all = Files.walk(directory)) {
      for (Path path : (Iterable<Path>) all::iterator) {
        if (!Files.isSymbolicLink(path)) {
          Files.setOwner(path, user);
          Files.getFileAttributeView(path, PosixFileAttributeView.class).setGroup(group);
        }
      }
    }
  }

  /**
   * Makes sure that the user can reach a directory.
   *
   * @throws IOException if a directory above it is closed to others
   */
  public static void checkReachable(Path directory) throws IOException {
    if (!ROOT) {
      return;
    }
    for (Path above = directory.toAbsolutePath().getParent();
        above != null;
        above = above.getParent()) {
      if (Files.exists(above)
          && !Files.getPosixFilePermissions(above)
              .contains(java.nio.file.attribute.PosixFilePermission.OTHERS_EXECUTE)) {
        throw new IOException(
            above
                + " is closed to the user "
                + SERVER_USER
                + ", which the database runs as. Choose another directory with --data.");
      }
    }
  }

  private static String id(String what) {
    try {
      Process process =
          ROOT
              ? new ProcessBuilder("id", what, SERVER_USER).start()
              : new ProcessBuilder("id", what).start();
      return new String(process.getInputStream().readAllBytes()).trim();
    } catch (IOException e) {
      throw new java.io.UncheckedIOException(e);
    }
  }
}
