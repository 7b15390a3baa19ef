package tolvin.connectors.ssh;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Collection;
import java.util.Iterator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.apache.sshd.sftp.client.SftpClient.Attributes;
import org.apache.sshd.sftp.common.SftpConstants;
import tolvin.core.port.Login;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;

/**
 * Files on a server over plain commands (RFC 4254 section 6.5), where it offers no SFTP. What is
 * done there stands in {@link tolvin.core.server.FilesScript}: with the same steps, in the same
 * order and with the same looks as over SFTP, each of which is one command.
 */
final class CommandFiles extends RemoteFiles {
  private static final int MOST_LIST = 1024 * 1024;
  private static final int FIELDS = 4;

  /** What the script says of a path that the login may not look at. */
  private static final String UNKNOWN = "unknown";

  /** The permission bits of a mode; the script sets no others. */
  private static final int PERMISSIONS = 0777;

  private final FilesRequests requests;

  CommandFiles(FilesRequests requests, Login login, Traffic traffic, String serverVersion) {
    super(login, traffic, serverVersion);
    this.requests = requests;
  }

  @Override
  Optional<Attributes> look(String path) throws PortException, IOException {
    return look(List.of(path)).get(path);
  }

  @Override
  Map<String, Optional<Attributes>> look(Collection<String> paths)
      throws PortException, IOException {
    FilesRequests.Answer answer = asked(MOST_LIST, "look", whole(paths).toArray(String[]::new));
    Iterator<String> lines = text(answer).lines().iterator();
    Map<String, Optional<Attributes>> there = new LinkedHashMap<>();
    for (String path : paths) {
      String line = lines.hasNext() ? lines.next() : "";
      if (line.equals(UNKNOWN)) {
        throw forbidden("look at", path, null);
      }
      there.put(path, seen(line));
    }
    return there;
  }

  /** The script takes paths from the root only. */
  private List<String> whole(Collection<String> paths) throws PortException, IOException {
    List<String> whole = new ArrayList<>();
    for (String path : paths) {
      whole.add(whole(path));
    }
    return whole;
  }

  /** What a line says of a path that could be looked at. */
  private Optional<Attributes> seen(String line) throws PortException {
    return line.equals("none") ? Optional.empty() : Optional.of(attributes(line));
  }

  @Override
  Optional<Glance> glance(String file, List<String> paths) throws PortException, IOException {
    traffic().read();
    List<String> asked = new ArrayList<>(List.of(file));
    asked.addAll(paths);
    FilesRequests.Answer answer =
        asked(MOST_LIST + Glance.SMALL, "glance", whole(asked).toArray(String[]::new));
    if (answer.outcome() != FilesRequests.Outcome.OK) {
      return Optional.empty(); // it is asked one by one, and says why then
    }
    byte[] all = answer.content();
    int at = 0;
    Map<String, Optional<Attributes>> there = new LinkedHashMap<>();
    for (String path : paths) {
      int end = lineEnd(all, at);
      String line = new String(all, at, end - at, StandardCharsets.ISO_8859_1);
      if (!line.equals(UNKNOWN)) {
        there.put(path, seen(line));
      }
      at = Math.min(all.length, end + 1);
    }
    int end = lineEnd(all, at);
    boolean small =
        new String(all, at, end - at, StandardCharsets.ISO_8859_1).equals("file")
            && all.length - end - 1 < Glance.SMALL;
    return Optional.of(
        new Glance(
            small ? Optional.of(Arrays.copyOfRange(all, end + 1, all.length)) : Optional.empty(),
            there));
  }

  private static int lineEnd(byte[] all, int from) {
    int end = from;
    while (end < all.length && all[end] != '\n') {
      end++;
    }
    return end;
  }

  @Override
  Optional<byte[]> read(String path, long from, int atMost) throws PortException, IOException {
    traffic().read();
    FilesRequests.Answer answer =
        asked(atMost, "read", whole(path), String.valueOf(from), String.valueOf(atMost));
    return switch (answer.outcome()) {
      case OK -> Optional.of(answer.content());
      case NONE -> Optional.empty();
      default -> throw failure("read", path, answer);
    };
  }

  @Override
  void writeNew(String path, byte[] content, int mode, Optional<Attributes> as)
      throws PortException, IOException {
    traffic().wrote();
    FilesRequests.Answer answer =
        requests.ask(
            content,
            0,
            "write",
            whole(path),
            Integer.toOctalString(mode & PERMISSIONS),
            as.map(a -> String.valueOf(a.getUserId())).orElse("-"),
            as.map(a -> String.valueOf(a.getGroupId())).orElse("-"),
            String.valueOf(content.length));
    switch (answer.outcome()) {
      case OK -> {}
      case OWNER -> throw ofAnother(as.orElseThrow(), number(answer.said()), null);
      case SIZE -> throw onlyPart(path, number(answer.said()), content.length);
      default -> throw failure("write", path, answer);
    }
  }

  @Override
  void replace(String from, String to) throws PortException, IOException {
    String ready = whole(from);
    String place = whole(to);
    try {
      change("replace", to, "replace", ready, place);
    } catch (IOException e) {
      throw unknown(e);
    }
  }

  @Override
  void keepAs(String path, String second) throws PortException, IOException {
    change("keep", path, "keep", whole(path), whole(second));
  }

  @Override
  void remove(String path) throws PortException, IOException {
    change("remove", path, "remove", whole(path));
  }

  @Override
  void makeDirectory(String path) throws PortException, IOException {
    change("make the directory", path, "directory", whole(path));
  }

  private void change(String action, String path, String verb, String... arguments)
      throws PortException, IOException {
    traffic().wrote();
    FilesRequests.Answer answer = requests.ask(FilesRequests.NOTHING, 0, verb, arguments);
    if (answer.outcome() != FilesRequests.Outcome.OK
        && answer.outcome() != FilesRequests.Outcome.NONE) {
      throw failure(action, path, answer);
    }
  }

  @Override
  String begin() throws PortException, IOException {
    if (requests.home().isEmpty()) {
      requests.startsIn(line("look at", ".", asked(MOST_LIST, "home")));
    }
    return requests.home().orElseThrow();
  }

  @Override
  String real(String path) throws PortException, IOException {
    return line("look at", path, asked(MOST_LIST, "real", whole(path)));
  }

  private String line(String action, String path, FilesRequests.Answer answer)
      throws PortException {
    if (answer.outcome() != FilesRequests.Outcome.OK) {
      throw failure(action, path, answer);
    }
    return text(answer).stripTrailing();
  }

  @Override
  List<String> names(String directory) throws PortException, IOException {
    FilesRequests.Answer answer = asked(MOST_LIST, "names", whole(directory));
    if (answer.outcome() != FilesRequests.Outcome.OK) {
      throw failure("list", directory, answer);
    }
    return text(answer).lines().toList();
  }

  /** Something that changes nothing, and is asked again on another connection if this one died. */
  private FilesRequests.Answer asked(int most, String verb, String... arguments)
      throws PortException, LostBeforeEffect {
    try {
      return requests.ask(FilesRequests.NOTHING, most, verb, arguments);
    } catch (IOException e) {
      throw new LostBeforeEffect(lost(login(), e));
    }
  }

  private static String text(FilesRequests.Answer answer) {
    return new String(answer.content(), StandardCharsets.UTF_8);
  }

  private PortException failure(String action, String path, FilesRequests.Answer answer) {
    return switch (answer.outcome()) {
      case FORBIDDEN -> forbidden(action, path, null);
      case MISSING, NONE -> nowhere(action, path, null);
      case REFUSED ->
          new PortException(
              Kind.NOT_ALLOWED,
              "The script tolvin-files on "
                  + login()
                  + " does not let Tolvin "
                  + action
                  + " "
                  + path
                  + ".",
              "Name that file behind the script, in the line of Tolvin's key: command=\"…/tolvin-files "
                  + path
                  + "\".");
      default ->
          action.equals("write")
              ? cutShort(path, answer.said(), null)
              : failed(action, path, answer.said(), null);
    };
  }

  private static long number(String text) {
    try {
      return Long.parseLong(text.strip());
    } catch (NumberFormatException notOne) {
      return 0;
    }
  }

  /** What {@code ls -lnd} says of a path (POSIX, ls, “Long format”): mode, owner, group, size. */
  private Attributes attributes(String line) throws PortException {
    String[] fields = line.split(" ", FIELDS);
    try {
      return new Attributes()
          .owner(Integer.parseUnsignedInt(fields[1]), Integer.parseUnsignedInt(fields[2]))
          .size(fields[3].matches("\\d+") ? Long.parseLong(fields[3]) : 0)
          .perms(permissions(fields[0]));
    } catch (IndexOutOfBoundsException | NumberFormatException other) {
      throw failed("look at", "files", "its ls says “" + line + "”", other);
    }
  }

  private static int permissions(String mode) {
    int type =
        switch (mode.charAt(0)) {
          case '-' -> SftpConstants.S_IFREG;
          case 'd' -> SftpConstants.S_IFDIR;
          case 'l' -> SftpConstants.S_IFLNK;
          case 'b' -> SftpConstants.S_IFBLK;
          case 'c' -> SftpConstants.S_IFCHR;
          case 's' -> SftpConstants.S_IFSOCK;
          default -> SftpConstants.S_IFIFO;
        };
    int bits = 0;
    for (int i = 0; i < 9; i++) {
      char c = mode.charAt(1 + i);
      boolean set = i % 3 == 2 ? "xst".indexOf(c) >= 0 : c != '-';
      bits |= set ? 0400 >> i : 0;
      bits |= "sStT".indexOf(c) >= 0 ? 04000 >> i / 3 : 0;
    }
    return type | bits;
  }
}
