package tolvin.connectors.diagnosis;

import java.io.IOException;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import tolvin.standins.local.LocalDropbear;
import tolvin.standins.local.LocalProftpd;
import tolvin.standins.local.LocalSshServer;
import tolvin.standins.local.Ports;

/** All kinds of systems on which sign-ins fail. */
final class Grounds implements AutoCloseable {
  private final List<Ground> all = new ArrayList<>();

  Grounds(Stage stage) throws IOException {
    Path directory = stage.directory;
    all.add(stage.openSsh);
    all.add(new CodeHostGround(directory.resolve("code-host")));
    all.add(DirectoryGround.in(directory.resolve("directory"), stage.connections));
    all.add(
        new RepositoryGround(
            LocalSshServer.at(directory.resolve("repository"), Ports.free()), stage.connections));
    all.add(
        new FileGround(
            "on a Dropbear",
            LocalDropbear.at(directory.resolve("dropbear"), Ports.free()),
            stage.connections,
            OtherServerMistakes::ofDropbear,
            OtherServerMistakes::ofItsClients));
    all.add(
        new FileGround(
            "on a ProFTPD",
            LocalProftpd.at(directory.resolve("proftpd"), Ports.free()),
            stage.connections,
            OtherServerMistakes::ofProftpd,
            OtherServerMistakes::ofItsClients));
    all.add(stage.openSsh.seenByClient());
    all.add(stage.openSsh.triedByTolvin());
  }

  List<Ground> all() {
    return all;
  }

  @Override
  public void close() {
    all.forEach(Ground::close);
  }
}
