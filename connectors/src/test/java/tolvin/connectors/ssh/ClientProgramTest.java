package tolvin.connectors.ssh;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.security.SecureRandom;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import tolvin.connectors.file.PrivateFiles;
import tolvin.core.give.ClientProgram;
import tolvin.core.pair.KeyChoice;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.PrivateForm;
import tolvin.core.pair.SecretPair;
import tolvin.standins.local.LocalSshServer;
import tolvin.standins.local.Ports;

/**
 * Which of the machine's clients sign in with which form of a private file: as {@link
 * ClientProgram} says, and after the conversion that it names.
 */
class ClientProgramTest {
  private static final SecureRandom RANDOM = new SecureRandom();
  private static final String ACCOUNT = "boats";

  @TempDir static Path directory;
  private static LocalSshServer sshd;

  @BeforeAll
  static void start() throws IOException {
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
    // libssh2 1.10 signs with RSA over SHA-1 only; here it is asked what it reads
    sshd =
        LocalSshServer.at(
                directory.resolve("sshd"), Ports.free(), "PubkeyAcceptedAlgorithms +ssh-rsa")
            .account(ACCOUNT)
            .start();
    Path ssh = Files.createDirectories(directory.resolve("home/.ssh"));
    Files.writeString(
        ssh.resolve("known_hosts"),
        "[127.0.0.1]:" + sshd.port() + " " + sshd.hostKey().line() + "\n");
  }

  @AfterAll
  static void stop() {
    sshd.close();
  }

  @Test
  void clientsReadWhatIsSaidOfThem() throws Exception {
    Map<String, Boolean> said = new TreeMap<>();
    Map<String, Boolean> seen = new TreeMap<>();
    for (KeyChoice choice : List.of(KeyChoice.ED25519, KeyChoice.RSA_3072, KeyChoice.ECDSA_P256)) {
      SecretPair pair = KeyPairMaker.make(choice, RANDOM);
      sshd.authorize(ACCOUNT, pair.key().line());
      for (PrivateForm form : PrivateForm.values()) {
        if (!form.fits(pair.key().type())) {
          continue;
        }
        Path file = closed(choice + "-" + form, pair, form);
        for (ClientProgram program : ClientProgram.values()) {
          String what = program + " " + choice + " " + form;
          said.put(what, program.reads(form, pair.key().type()));
          seen.put(what, signsIn(program, file));
          if (form == PrivateForm.OPENSSH && program.converts().isPresent()) {
            Path made = Path.of(file + "." + program);
            String command =
                program
                    .converts()
                    .get()
                    .replace("FILE", file + "")
                    .replaceAll("NEW(.ppk)?", made + "");
            run(List.of(command.split(" ")));
            said.put(what + " converted", true);
            seen.put(what + " converted", signsIn(program, made));
          }
        }
      }
    }
    assertThat(seen).hasSizeGreaterThan(40).isEqualTo(said);
  }

  private static Path closed(String name, SecretPair pair, PrivateForm form) throws IOException {
    Path file = directory.resolve(name);
    Files.write(file, PrivateFiles.write(pair, "", form, new char[0], RANDOM));
    return Files.setPosixFilePermissions(file, PosixFilePermissions.fromString("rw-------"));
  }

  private static boolean signsIn(ClientProgram program, Path file) throws Exception {
    String port = String.valueOf(sshd.port());
    String key = file.toString();
    String there = ACCOUNT + "@127.0.0.1";
    String known = directory.resolve("home/.ssh/known_hosts").toString();
    List<String> command =
        switch (program) {
          case OPENSSH ->
              List.of(
                  "ssh",
                  "-F",
                  "none",
                  "-o",
                  "BatchMode=yes",
                  "-o",
                  "IdentitiesOnly=yes",
                  "-o",
                  "UserKnownHostsFile=" + known,
                  "-i",
                  key,
                  "-p",
                  port,
                  there,
                  "true");
          case DROPBEAR -> List.of("dbclient", "-y", "-i", key, "-p", port, there, "true");
          case PUTTY ->
              List.of(
                  "plink",
                  "-batch",
                  "-hostkey",
                  sshd.hostKey().fingerprintText(),
                  "-i",
                  key,
                  "-P",
                  port,
                  there,
                  "true");
          case LIBSSH2 ->
              List.of(
                  "curl",
                  "-s",
                  "--insecure",
                  "--key",
                  key,
                  "-u",
                  ACCOUNT + ":",
                  "sftp://127.0.0.1:" + port + "/");
          case PARAMIKO ->
              List.of(
                  "/usr/bin/python3",
                  "-c",
                  "import paramiko, sys\n"
                      + "c = paramiko.SSHClient()\n"
                      + "c.load_host_keys(sys.argv[2])\n"
                      + "c.connect('127.0.0.1', int(sys.argv[3]), sys.argv[4],"
                      + " key_filename=sys.argv[1], allow_agent=False, look_for_keys=False)\n",
                  key,
                  known,
                  port,
                  ACCOUNT);
        };
    return status(command) == 0;
  }

  private static void run(List<String> command) throws Exception {
    assertThat(status(command)).as(String.join(" ", command)).isZero();
  }

  private static int status(List<String> command) throws Exception {
    ProcessBuilder builder = new ProcessBuilder(new ArrayList<>(command));
    builder.environment().put("HOME", directory.resolve("home").toString());
    Path output = Files.createTempFile(directory, "output", "");
    Process process =
        builder
            .redirectInput(Path.of("/dev/null").toFile())
            .redirectErrorStream(true)
            .redirectOutput(output.toFile())
            .start();
    if (!process.waitFor(60, TimeUnit.SECONDS)) {
      process.destroyForcibly();
      throw new IOException(command.get(0) + " did not end: " + Files.readString(output));
    }
    return process.exitValue();
  }
}
