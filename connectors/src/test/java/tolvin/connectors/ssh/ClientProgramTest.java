package tolvin.connectors.ssh;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.security.SecureRandom;
import java.security.interfaces.ECPrivateKey;
import java.util.ArrayList;
import java.util.List;
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
  private static final String PASSPHRASE = "quay and anchor";

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
    int tried = 0;
    List<String> otherwise = new ArrayList<>();
    for (KeyChoice choice : List.of(KeyChoice.ED25519, KeyChoice.RSA_3072, KeyChoice.ECDSA_P256)) {
      SecretPair pair = KeyPairMaker.make(choice, RANDOM);
      sshd.authorize(ACCOUNT, pair.key().line());
      for (PrivateForm form : PrivateForm.values()) {
        if (!form.fits(pair.key().type())) {
          continue;
        }
        Path file = file(choice + "-" + form, pair, "", form, "");
        for (ClientProgram program : ClientProgram.values()) {
          String what = program + " " + choice + " " + form;
          tried++;
          Ended ended = signsIn(program, file);
          if (ended.well() != program.reads(form, pair.key().type())) {
            otherwise.add(what + ": " + ended);
          }
          if (form == PrivateForm.OPENSSH && program.converts().isPresent()) {
            tried++;
            Path made = Path.of(file + "." + program);
            Ended converted = run(converting(program, file, made));
            ended = converted.well() ? signsIn(program, made) : converted;
            if (!ended.well()) {
              otherwise.add(what + " converted: " + ended);
            }
          }
        }
      }
    }
    assertThat(otherwise).isEmpty();
    assertThat(tried).isGreaterThan(40);
  }

  /**
   * The length of a comment decides whether a file ends in padding, and readers find its end in
   * different ways.
   */
  @Test
  void filesWithAnyCommentAreRead() throws Exception {
    List<Path> open = new ArrayList<>();
    List<Path> closed = new ArrayList<>();
    for (int bits : List.of(256, 255)) {
      SecretPair pair = KeyPairMaker.make(KeyChoice.ECDSA_P256, RANDOM);
      while (((ECPrivateKey) pair.privateKey()).getS().bitLength() / 256 != bits / 256) {
        pair = KeyPairMaker.make(KeyChoice.ECDSA_P256, RANDOM);
      }
      for (int length = 0; length < 16; length++) {
        for (String end : List.of("", "é")) {
          String comment = "a".repeat(length) + end;
          String name = "comment-" + bits + "-" + length + "-" + end.length();
          open.add(file(name, pair, comment, PrivateForm.OPENSSH, ""));
          if (!end.isEmpty() && bits == 256) {
            closed.add(file(name + "-closed", pair, comment, PrivateForm.OPENSSH, PASSPHRASE));
          }
        }
      }
    }
    assertThat(readByParamiko(open, "")).isEmpty();
    assertThat(readByParamiko(closed, PASSPHRASE)).isEmpty();
    for (Path file : closed) {
      assertThat(run(List.of("ssh-keygen", "-y", "-P", PASSPHRASE, "-f", file + "")))
          .matches(Ended::well);
    }
    for (Path file : open) {
      assertThat(run(List.of("ssh-keygen", "-y", "-P", "", "-f", file + ""))).matches(Ended::well);
      for (ClientProgram program : List.of(ClientProgram.DROPBEAR, ClientProgram.PUTTY)) {
        assertThat(run(converting(program, file, Path.of(file + "." + program))))
            .matches(Ended::well);
      }
    }
  }

  /** What Paramiko says of the files that it does not read. */
  private static String readByParamiko(List<Path> files, String passphrase) throws Exception {
    List<String> command =
        new ArrayList<>(
            List.of(
                "/usr/bin/python3",
                "-c",
                "import paramiko, sys\n"
                    + "for name in sys.argv[2:]:\n"
                    + "  try:\n"
                    + "    paramiko.ECDSAKey.from_private_key_file(name, sys.argv[1] or None)\n"
                    + "  except Exception as e:\n"
                    + "    print(name, e)\n",
                passphrase));
    files.forEach(file -> command.add(file.toString()));
    Ended ended = run(command);
    assertThat(ended).matches(Ended::well);
    return ended.output();
  }

  private static List<String> converting(ClientProgram program, Path file, Path made) {
    String command = program.converts().orElseThrow().replace("FILE", file + "");
    return List.of(command.replaceAll("NEW(.ppk)?", made + "").split(" "));
  }

  private static Path file(
      String name, SecretPair pair, String comment, PrivateForm form, String passphrase)
      throws IOException {
    Path file = directory.resolve(name);
    Files.write(file, PrivateFiles.write(pair, comment, form, passphrase.toCharArray(), RANDOM));
    return Files.setPosixFilePermissions(file, PosixFilePermissions.fromString("rw-------"));
  }

  private static Ended signsIn(ClientProgram program, Path file) throws Exception {
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
    return run(command);
  }

  /** How a command ended, and what it said. */
  private record Ended(int status, String output) {
    boolean well() {
      return status == 0;
    }
  }

  private static Ended run(List<String> command) throws Exception {
    ProcessBuilder builder = new ProcessBuilder(command);
    builder.environment().put("HOME", directory.resolve("home").toString());
    Path output = Files.createTempFile(directory, "output", "");
    Process process =
        builder
            .redirectInput(Path.of("/dev/null").toFile())
            .redirectErrorStream(true)
            .redirectOutput(output.toFile())
            .start();
    if (!process.waitFor(120, TimeUnit.SECONDS)) {
      process.destroyForcibly();
      throw new IOException(command.get(0) + " did not end: " + Files.readString(output));
    }
    return new Ended(process.exitValue(), Files.readString(output));
  }
}
