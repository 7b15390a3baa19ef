package tolvin.connectors.ssh;

import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import tolvin.core.port.KnownHostsPort;
import tolvin.core.port.Lease;
import tolvin.core.port.Place.OverSsh;
import tolvin.core.port.PortException;

/** Files of known hosts, edited over SFTP. */
public final class KnownHostsFiles implements KnownHostsPort {
  private static final int FILE_MODE = 0644;

  private final SshConnections connections;

  /** Works over these connections. */
  public KnownHostsFiles(SshConnections connections) {
    this.connections = connections;
  }

  @Override
  public List<String> add(OverSsh where, List<String> lines, Lease lease) throws PortException {
    return connections.use(
        where.login(),
        files -> {
          List<String> missing = new ArrayList<>();
          new WholeFile(files, where.path())
              .change(
                  FILE_MODE,
                  now -> {
                    String text = new String(now.orElse(new byte[0]), StandardCharsets.ISO_8859_1);
                    missing.clear();
                    missing.addAll(lines);
                    missing.removeAll(text.lines().toList());
                    return with(text, missing).getBytes(StandardCharsets.ISO_8859_1);
                  },
                  lease);
          return missing;
        });
  }

  private static String with(String text, List<String> more) {
    if (more.isEmpty()) {
      return text;
    }
    return text
        + (text.isEmpty() || text.endsWith("\n") ? "" : "\n")
        + String.join("\n", more)
        + "\n";
  }
}
