package tolvin.connectors.ssh;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.regex.Pattern;
import org.apache.sshd.sftp.client.SftpClient.Attributes;
import tolvin.connectors.KeyLines;
import tolvin.core.authorized.AuthorizedKeys;
import tolvin.core.diagnosis.Circumstances.PathStep;
import tolvin.core.port.Place.OverSsh;
import tolvin.core.port.PortException;
import tolvin.core.sweep.FindingKind;
import tolvin.core.sweep.PassedOverLines;
import tolvin.core.sweep.Seen;
import tolvin.core.sweep.ServerConfiguration;

/** Looks at an account's file of keys, the way to it, and the server's configuration. */
public final class FileSurveys {
  private static final int MODE = 07777;
  private static final int MOST_CONFIG = 256 * 1024;
  private static final String SECOND = "authorized_keys2";

  private final SshConnections connections;

  /** Works over these connections. */
  public FileSurveys(SshConnections connections) {
    this.connections = connections;
  }

  /**
   * Reads.
   *
   * @param configPath the server's configuration; empty if it is not to be read
   * @throws PortException if the file could not be read
   */
  public Seen survey(OverSsh file, String configPath, Instant now) throws PortException {
    return connections.use(
        file.login(),
        files -> {
          Optional<byte[]> content = files.read(file.path());
          List<PathStep> path = new ArrayList<>();
          String whole = content.isPresent() ? files.whole(file.path()) : file.path();
          String at = whole;
          for (int i = 0; content.isPresent() && i < 3 && at.length() > 1; i++) {
            Optional<Attributes> a = files.look(at);
            if (a.isPresent()) {
              path.add(step(at, a.get()));
            }
            at = at.substring(0, Math.max(1, at.lastIndexOf('/')));
          }
          return new Seen(
              now,
              KeyLines.registered(content),
              PassedOverLines.of(AuthorizedKeys.of(content.orElse(new byte[0]))),
              path,
              path.size() < 3 ? Optional.empty() : Optional.of(path.get(2).owner()),
              doors(files, whole, configPath),
              Optional.empty());
        });
  }

  private static PathStep step(String path, Attributes a) {
    return new PathStep(path, a.isDirectory(), a.getPermissions() & MODE, a.getUserId());
  }

  private static List<Seen.Door> doors(RemoteFiles files, String path, String configPath)
      throws PortException, IOException {
    List<Seen.Door> doors = new ArrayList<>();
    if (!configPath.isEmpty()) {
      Optional<String> text = text(files, configPath);
      if (text.isPresent()) {
        doors.addAll(ServerConfiguration.doors(text.get(), pattern -> matching(files, pattern)));
        return doors;
      }
    }
    int slash = path.lastIndexOf('/');
    String second = path.substring(0, slash + 1) + SECOND;
    if (!path.endsWith(SECOND) && files.look(second).isPresent()) {
      doors.add(new Seen.Door(FindingKind.SECOND_FILE, second));
    }
    return doors;
  }

  private static Optional<String> text(RemoteFiles files, String path)
      throws PortException, IOException {
    return files
        .read(path, 0, MOST_CONFIG)
        .map(bytes -> new String(bytes, StandardCharsets.ISO_8859_1));
  }

  /** The contents of the files that an Include names; what cannot be read is passed over. */
  private static List<String> matching(RemoteFiles files, String pattern) {
    String path = pattern.startsWith("/") ? pattern : "/etc/ssh/" + pattern;
    int slash = path.lastIndexOf('/');
    StringBuilder regex = new StringBuilder();
    for (char c : path.substring(slash + 1).toCharArray()) {
      regex.append(c == '*' ? ".*" : c == '?' ? "." : Pattern.quote(String.valueOf(c)));
    }
    List<String> found = new ArrayList<>();
    try {
      for (String name : files.names(path.substring(0, slash)).stream().sorted().toList()) {
        if (name.matches(regex.toString())) {
          text(files, path.substring(0, slash + 1) + name).ifPresent(found::add);
        }
      }
    } catch (PortException | IOException mayNot) {
      return found;
    }
    return found;
  }
}
