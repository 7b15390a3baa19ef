package tolvin.standins.local;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;

/**
 * Debian's Dropbear server on loopback with accounts of its own. Its SFTP is that of OpenSSH, which
 * it starts for each connection that asks for it.
 */
public final class LocalDropbear extends LocalKeysServer {
  private LocalDropbear(Path directory, int port) throws IOException {
    super(directory, port);
  }

  /** Sets a server up, without starting it; what is there already is kept. */
  public static LocalDropbear at(Path directory, int port) throws IOException {
    LocalDropbear server = new LocalDropbear(directory, port);
    String own = server.file("dropbear_key").toString();
    if (!Files.exists(Path.of(own))) {
      String made = server.file("host_key").toString();
      LocalSshServer.run(List.of("dropbearconvert", "openssh", "dropbear", made, own));
    }
    Unprivileged.own(server.directory);
    return server;
  }

  @Override
  public LocalDropbear account(String name) throws IOException {
    super.account(name);
    return this;
  }

  @Override
  public LocalDropbear start() throws IOException {
    List<String> command = new ArrayList<>(accounts.environment(List.of()));
    command.addAll(
        List.of(
            "/usr/sbin/dropbear",
            "-F",
            "-E",
            "-s",
            "-m",
            "-p",
            "127.0.0.1:" + port,
            "-r",
            file("dropbear_key").toString(),
            "-P",
            file("pid").toString()));
    process =
        new ProcessBuilder(Unprivileged.command(command))
            .redirectErrorStream(true)
            .redirectOutput(log().toFile())
            .start();
    Processes.demandStarted("Dropbear server", process, port, log());
    return this;
  }

  @Override
  public Path log() {
    return file("log");
  }
}
