package tolvin.connectors.ssh;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalInt;
import java.util.Set;
import java.util.concurrent.locks.LockSupport;
import java.util.regex.Pattern;
import org.apache.sshd.sftp.client.SftpClient.Attributes;
import tolvin.core.diagnosis.Circumstances.KeysFile;
import tolvin.core.diagnosis.Circumstances.PathStep;
import tolvin.core.diagnosis.Circumstances.ServerSide;
import tolvin.core.port.LookPort;
import tolvin.core.port.PortException;
import tolvin.core.server.FilesWay;
import tolvin.core.server.SaidOfServer;
import tolvin.core.server.ServerKind;
import tolvin.core.signin.LoggedPort;

/** Looks at a server over SFTP: its log, a file of keys, and the way to it. */
public final class ServerLooks implements LookPort {
  private static final int MOST_LOG = 256 * 1024;
  private static final int MOST_KEYS = 1024 * 1024;
  private static final int MOST_NEIGHBOUR = 64 * 1024;
  private static final int MOST_NEIGHBOURS = 8;
  private static final Duration CLOSING = Duration.ofSeconds(2);
  private static final Pattern ENDED =
      Pattern.compile(
          "Connection (closed|reset) by|Disconnect(ed|ing)|Accepted publickey for"
              + "|Exit (\\(|before auth)|Pubkey auth succeeded for");

  private final SshConnections connections;

  /** Works over these connections. */
  public ServerLooks(SshConnections connections) {
    this.connections = connections;
  }

  @Override
  public long logEnd(Where where) throws PortException {
    if (where.logPath().isEmpty()) {
      return 0;
    }
    return connections.use(
        where.login(),
        files -> files.look(where.logPath().get()).map(Attributes::getSize).orElse(0L));
  }

  @Override
  public ServerSide look(Where where, String user, long logFrom, OptionalInt clientPort)
      throws PortException {
    return connections.use(
        where.login(),
        files ->
            new ServerSide(
                log(files, where, user, logFrom, clientPort),
                keysFiles(files, where.keysPaths(), where.said())));
  }

  @Override
  public Optional<FilesWay> filesWay(String host, int port) {
    return connections.way(host, port);
  }

  /** The log is a moment behind the client: it is read until the connection has ended there. */
  private static Optional<List<String>> log(
      RemoteFiles files, Where where, String user, long from, OptionalInt clientPort)
      throws IOException {
    if (where.logPath().isEmpty()) {
      return Optional.empty();
    }
    // ProFTPD's has no line about a sign-in that failed
    boolean tells = files.ability(where.said()).kind() != ServerKind.PROFTPD;
    long patience = System.nanoTime() + (tells ? CLOSING.toNanos() : 0);
    try {
      while (true) {
        Optional<byte[]> tail = files.read(where.logPath().get(), from, MOST_LOG);
        if (tail.isEmpty()) {
          return Optional.empty();
        }
        List<String> lines =
            connection(
                new String(tail.get(), StandardCharsets.ISO_8859_1).lines().toList(),
                user,
                clientPort);
        if (lines.stream().anyMatch(l -> ENDED.matcher(l).find()) || System.nanoTime() > patience) {
          return Optional.of(lines);
        }
        LockSupport.parkNanos(CLOSING.toNanos() / 40);
      }
    } catch (PortException mayNot) {
      return Optional.empty();
    }
  }

  /**
   * The lines of the last connection of a login: those that name its port, and those between them
   * that name no port at all.
   */
  static List<String> connection(List<String> lines, String user, OptionalInt clientPort) {
    OptionalInt port = clientPort;
    Pattern named =
        Pattern.compile("(?:user|for|User|by)(?: invalid user)? '?" + Pattern.quote(user) + "\\b");
    for (int i = lines.size() - 1; i >= 0 && port.isEmpty(); i--) {
      if (named.matcher(lines.get(i)).find()) {
        port = LoggedPort.of(lines.get(i));
      }
    }
    if (port.isEmpty()) {
      port = onlyUnknown(lines);
    }
    List<String> about = new ArrayList<>();
    List<String> between = new ArrayList<>();
    for (String line : lines) {
      OptionalInt here = LoggedPort.of(line);
      if (here.isEmpty()) {
        between.add(line);
      } else if (here.equals(port)) {
        if (!about.isEmpty()) {
          about.addAll(between);
        }
        between.clear();
        about.add(line);
      }
    }
    return about;
  }

  /** The port of the only one who tried a login that Dropbear does not know and does not repeat. */
  private static OptionalInt onlyUnknown(List<String> lines) {
    Set<Integer> ports = new HashSet<>();
    lines.stream()
        .filter(line -> line.contains(" nonexistent user "))
        .forEach(line -> LoggedPort.of(line).ifPresent(ports::add));
    return ports.size() == 1 ? OptionalInt.of(ports.iterator().next()) : OptionalInt.empty();
  }

  private static List<KeysFile> keysFiles(RemoteFiles files, List<String> paths, SaidOfServer said)
      throws IOException {
    try {
      List<String> whole = new ArrayList<>();
      for (String path : paths) {
        whole.add(files.whole(path));
      }
      OwnGroups groups = new OwnGroups(files);
      List<KeysFile> all = new ArrayList<>();
      for (String path : whole) {
        all.add(keysFile(files, groups, path, whole, said));
      }
      return all;
    } catch (PortException mayNot) {
      return List.of();
    }
  }

  private static KeysFile keysFile(
      RemoteFiles files, OwnGroups groups, String whole, List<String> all, SaidOfServer said)
      throws PortException, IOException {
    List<PathStep> steps = new ArrayList<>();
    for (String step : FileSurveys.wayUp(whole, FileSurveys.home(whole, all, files))) {
      Optional<Attributes> there = files.look(step);
      if (there.isPresent()) {
        steps.add(groups.step(step, there.get()));
      }
    }
    Optional<byte[]> content =
        files.look(whole).isPresent() ? files.read(whole, 0, MOST_KEYS) : Optional.empty();
    return new KeysFile(
        whole, files.ability(said), content, steps, neighbours(files, whole, all), Map.of());
  }

  /** Files beside a file of keys that the server does not read. */
  private static Map<String, byte[]> neighbours(RemoteFiles files, String path, List<String> read)
      throws IOException {
    String directory = path.substring(0, Math.max(1, path.lastIndexOf('/')));
    Map<String, byte[]> found = new LinkedHashMap<>();
    try {
      for (String other : files.names(directory)) {
        boolean meant =
            other.startsWith("authorized") || other.endsWith(".pub") || other.endsWith(".txt");
        String where = directory + "/" + other;
        if (meant && !read.contains(where) && found.size() < MOST_NEIGHBOURS) {
          files.read(where, 0, MOST_NEIGHBOUR).ifPresent(bytes -> found.put(where, bytes));
        }
      }
    } catch (PortException mayNot) {
      return found;
    }
    return found;
  }
}
