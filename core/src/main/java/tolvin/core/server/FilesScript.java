package tolvin.core.server;

import java.io.IOException;
import java.io.InputStream;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.util.stream.Collectors;

/**
 * The POSIX shell script {@code tolvin-files}, which reads and replaces files of keys on a server
 * that offers no SFTP. It is installed there, or sent along with each request.
 */
public final class FilesScript {
  /** What it is called, on a server and in a request. */
  public static final String NAME = "tolvin-files";

  /** All of it, with the manual at its top. */
  public static final String TEXT = read();

  /** Without comments, and without a single quote, so that it stands between two of them. */
  public static final String SENT =
      TEXT.lines()
          .filter(line -> !line.isBlank() && line.charAt(0) != '#')
          .collect(Collectors.joining("\n"));

  private FilesScript() {}

  private static String read() {
    try (InputStream in = FilesScript.class.getResourceAsStream(NAME)) {
      return new String(in.readAllBytes(), StandardCharsets.UTF_8);
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }
}
