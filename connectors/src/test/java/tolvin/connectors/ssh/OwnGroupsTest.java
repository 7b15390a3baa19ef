package tolvin.connectors.ssh;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.security.SecureRandom;
import java.time.Instant;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import tolvin.core.diagnosis.Circumstances.PathStep;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.SecretPair;
import tolvin.core.port.Login;
import tolvin.core.port.Place;
import tolvin.core.port.Server;
import tolvin.standins.local.LocalSshServer;
import tolvin.standins.local.Ports;

/** Which modes of files and directories really keep an OpenSSH server from reading the keys. */
class OwnGroupsTest {

  @ParameterizedTest
  @CsvSource({
    "alone, boats:x:7:7, boats:x:7:, true",
    "listed too, boats:x:7:7, boats:x:7:boats, true",
    "only listed, boats:x:7:1, boats:x:7:boats, true",
    "two names of one user, boats:x:7:7 quay:x:7:7, boats:x:7:, true",
    "of one whose name begins so, boats2:x:8:9 boats:x:7:7, boats2:x:9: boats:x:7:, true",
    "another's first group, boats:x:7:7 quay:x:8:7, boats:x:7:, false",
    "another is listed, boats:x:7:7 quay:x:8:8, 'boats:x:7:quay', false",
    "two are listed, boats:x:7:7 quay:x:8:8, 'boats:x:7:boats,quay', false",
    "somebody else's, boats:x:7:1 quay:x:8:7, quay:x:7:, false",
    "nobody's, boats:x:7:1, boats:x:7:, false",
    "not there, boats:x:7:7, quay:x:8:, false",
    "there twice, boats:x:7:7, boats:x:7: quay:x:7:, false",
    "damaged, boats:x:7:7, :::, false",
  })
  void aGroupIsOnesOwnIfNobodyElseIsInIt(String name, String users, String groups, boolean isOwn) {
    assertThat(OwnGroups.isOwn("7", "7", lines(users), lines(groups))).as(name).isEqualTo(isOwn);
  }

  private static List<String[]> lines(String text) {
    return Stream.of(text.split(" "))
        .map(line -> line.split(":"))
        .filter(fields -> fields.length >= 3)
        .toList();
  }

  /** Each mode of the file beside each of its directory and of the home directory. */
  @Test
  void whatIsCalledTooOpenIsWhatTheServerMinds(@TempDir Path directory) throws Exception {
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
    SecretPair pair = KeyPairMaker.ed25519(new SecureRandom());
    Map<String, Boolean> signedIn = new LinkedHashMap<>();
    Map<String, Boolean> isWell = new LinkedHashMap<>();
    try (LocalSshServer sshd =
            LocalSshServer.at(directory.resolve("sshd"), Ports.free())
                .account("keeper")
                .account("boats")
                .start();
        SshConnections connections =
            new SshConnections(SshConnections.LIMIT.multipliedBy(Ports.PATIENCE))) {
      for (String login : List.of("keeper", "boats")) {
        sshd.authorize(login, pair.key().line());
      }
      Server at = new Server("sftp", "127.0.0.1", sshd.port(), List.of(sshd.hostKey()));
      Path file = sshd.authorizedKeys("boats");
      Place.OverSsh place = new Place.OverSsh(new Login(at, "keeper", pair), file.toString());
      for (String home : List.of("rwx------", "rwxrwxr-x", "rwxrwxrwx")) {
        for (String beside : List.of("rwx------", "rwxrwx---", "rwx----w-")) {
          for (String mode :
              List.of("rw-------", "rw-rw-r--", "rw--w----", "rw-rw-rw-", "rw-----w-")) {
            Files.setPosixFilePermissions(file, PosixFilePermissions.fromString(mode));
            Files.setPosixFilePermissions(
                file.getParent(), PosixFilePermissions.fromString(beside));
            Files.setPosixFilePermissions(
                sshd.home("boats"), PosixFilePermissions.fromString(home));
            String modes = home + " " + beside + " " + mode;
            signedIn.put(
                modes, new SshTrials(connections).signIn(new Login(at, "boats", pair)).accepted());
            isWell.put(
                modes,
                new FileSurveys(connections)
                    .survey(place, Instant.now()).path().stream().noneMatch(PathStep::isOpen));
          }
        }
      }
    }
    assertThat(isWell).isEqualTo(signedIn);
    assertThat(signedIn).hasSize(45).containsValues(true, false);
    assertThat(signedIn).containsEntry("rwxrwxr-x rwxrwx--- rw-rw-r--", true);
  }
}
