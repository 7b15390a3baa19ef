package tolvin.connectors.ssh;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HexFormat;
import java.util.List;
import java.util.Optional;
import java.util.OptionalInt;
import org.apache.sshd.sftp.client.SftpClient.Attributes;
import tolvin.core.port.Login;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.port.UsePort;
import tolvin.core.signin.LoggedLine;
import tolvin.core.signin.LoggedPort;

/**
 * Follows a server's log over SFTP by its length. A log that was rotated is noticed by its first
 * bytes; if the old one still stands beside it as {@code LOG.1}, it is read to its end and nothing
 * is missed.
 */
public final class SignInLogs implements UsePort {
  private static final int HEAD = 256;
  private static final int MOST_AT_ONCE = 8 * 1024 * 1024;
  private static final int RECENT = 256 * 1024;
  private static final String ROTATED = ".1";

  private final SshConnections connections;

  /** Works over these connections. */
  public SignInLogs(SshConnections connections) {
    this.connections = connections;
  }

  @Override
  public News read(Login login, String path, Position from) throws PortException {
    return connections.use(login, files -> read(files, login, path, from));
  }

  private static News read(RemoteFiles files, Login login, String path, Position from)
      throws PortException, IOException {
    long size = size(files, path).orElseThrow(() -> missing(login, path));
    if (from.offset() < 0) {
      return new News(position(files, path, size), List.of(), false, false);
    }
    if (size >= from.offset() && sameHead(files, path, from.head())) {
      return size == from.offset()
          ? new News(from, List.of(), false, false)
          : readOn(files, path, from.offset(), List.of(), false);
    }
    String before = path + ROTATED;
    boolean oldIsThere =
        size(files, before).filter(length -> length >= from.offset()).isPresent()
            && sameHead(files, before, from.head());
    List<LoggedLine> last = new ArrayList<>();
    News rest = new News(from, List.of(), false, oldIsThere);
    while (rest.more()) {
      rest = readOn(files, before, rest.position().offset(), List.of(), false);
      last.addAll(rest.lines());
    }
    return readOn(files, path, 0, last, !oldIsThere);
  }

  private static News readOn(
      RemoteFiles files, String path, long offset, List<LoggedLine> before, boolean broken)
      throws PortException, IOException {
    byte[] content = files.read(path, offset, MOST_AT_ONCE).orElse(new byte[0]);
    boolean more = content.length == MOST_AT_ONCE;
    int end = content.length;
    while (end > 0 && content[end - 1] != '\n') {
      end--; // an unfinished line is left for the next reading
    }
    if (end == 0 && more) {
      end = content.length; // no line is that long: it is passed over, or nothing would go on
    }
    List<LoggedLine> lines = new ArrayList<>(before);
    Instant now = Instant.now();
    new String(content, 0, end, StandardCharsets.ISO_8859_1)
        .lines()
        .forEach(line -> LoggedLine.read(line, now).ifPresent(lines::add));
    return new News(position(files, path, offset + end), lines, broken, more);
  }

  @Override
  public List<String> about(Login login, String path, int clientPort) throws PortException {
    return connections.use(
        login,
        files -> {
          long size = size(files, path).orElseThrow(() -> missing(login, path));
          byte[] tail = files.read(path, Math.max(0, size - RECENT), RECENT).orElse(new byte[0]);
          List<String> lines = new String(tail, StandardCharsets.ISO_8859_1).lines().toList();
          OptionalInt wanted = OptionalInt.of(clientPort);
          int first = -1;
          int last = -1;
          for (int i = 0; i < lines.size(); i++) {
            if (LoggedPort.of(lines.get(i)).equals(wanted)) {
              first = first < 0 ? i : first;
              last = i;
            }
          }
          return first < 0 ? List.<String>of() : List.copyOf(lines.subList(first, last + 1));
        });
  }

  private static Optional<Long> size(RemoteFiles files, String path)
      throws PortException, IOException {
    return files.look(path).map(Attributes::getSize);
  }

  private static Position position(RemoteFiles files, String path, long offset)
      throws PortException, IOException {
    int length = (int) Math.min(HEAD, offset);
    byte[] head = length == 0 ? new byte[0] : files.read(path, 0, length).orElse(new byte[0]);
    return new Position(offset, head.length + ":" + hash(head));
  }

  private static boolean sameHead(RemoteFiles files, String path, String head)
      throws PortException, IOException {
    int length = Integer.parseInt(head.substring(0, head.indexOf(':')));
    byte[] now = length == 0 ? new byte[0] : files.read(path, 0, length).orElse(new byte[0]);
    return head.equals(now.length + ":" + hash(now));
  }

  private static String hash(byte[] bytes) {
    try {
      byte[] digest = MessageDigest.getInstance("SHA-256").digest(bytes);
      return HexFormat.of().formatHex(Arrays.copyOf(digest, 16));
    } catch (NoSuchAlgorithmException impossible) {
      throw new IllegalStateException("every Java platform has SHA-256", impossible);
    }
  }

  private static PortException missing(Login login, String path) {
    return new PortException(
        Kind.NOT_ALLOWED,
        "The sign-in log " + path + " is not there on " + login.server().name() + ".",
        "Correct the path of the log, or let the login read it.");
  }
}
