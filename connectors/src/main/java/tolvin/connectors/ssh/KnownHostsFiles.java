package tolvin.connectors.ssh;

import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import org.apache.sshd.sftp.client.SftpClient.Attributes;
import tolvin.core.port.KnownHostsPort;
import tolvin.core.port.Lease;
import tolvin.core.port.Place.OverSsh;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;

/** Files of known hosts, edited over SFTP: written beside, looked at again, renamed, read again. */
public final class KnownHostsFiles implements KnownHostsPort {
  private static final int FILE_MODE = 0644;
  private static final String BESIDE = RemoteFiles.BESIDE + "new";

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
          Optional<Attributes> attributes = files.look(where.path());
          if (attributes.isPresent() && !attributes.get().isRegularFile()) {
            throw new PortException(
                Kind.NOT_ALLOWED,
                where.path() + " is not a file of its own.",
                "Put the lines there by hand.");
          }
          Optional<byte[]> before =
              attributes.isEmpty() ? Optional.empty() : files.read(where.path());
          String text = new String(before.orElse(new byte[0]), StandardCharsets.ISO_8859_1);
          List<String> there = text.lines().toList();
          List<String> missing = new ArrayList<>(lines);
          missing.removeIf(there::contains);
          if (missing.isEmpty()) {
            return List.of();
          }
          String whole =
              text
                  + (text.isEmpty() || text.endsWith("\n") ? "" : "\n")
                  + String.join("\n", missing)
                  + "\n";
          byte[] wanted = whole.getBytes(StandardCharsets.ISO_8859_1);
          lease.check();
          files.writeNew(
              where.path() + BESIDE, wanted, attributes.map(RemoteFiles::mode).orElse(FILE_MODE));
          Optional<byte[]> again =
              attributes.isEmpty() ? Optional.empty() : files.read(where.path());
          if (!RemoteFiles.same(again, before)) {
            files.remove(where.path() + BESIDE);
            throw new PortException(
                Kind.CHANGED_MEANWHILE,
                where.path() + " was changed by somebody else meanwhile.",
                "It is tried again by itself.");
          }
          files.replace(where.path() + BESIDE, where.path());
          return missing;
        });
  }
}
