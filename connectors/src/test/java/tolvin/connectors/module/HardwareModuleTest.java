package tolvin.connectors.module;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.time.Clock;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ConcurrentHashMap;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import tolvin.connectors.http.AssertionTrials;
import tolvin.connectors.ssh.SshConnections;
import tolvin.connectors.ssh.SshTrials;
import tolvin.core.key.KeyType;
import tolvin.core.key.PublicKey;
import tolvin.core.pair.KeyChoice;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.SecretPair;
import tolvin.core.pair.Signer;
import tolvin.core.pair.SigningException;
import tolvin.core.port.Login;
import tolvin.core.port.PortException;
import tolvin.core.port.Server;
import tolvin.core.port.TrialPort;
import tolvin.core.port.TrialPort.Attempt;
import tolvin.core.port.TrialPort.Way;
import tolvin.core.proof.SignatureCheck;
import tolvin.standins.local.LocalSshServer;
import tolvin.standins.local.Ports;
import tolvin.standins.local.Unprivileged;
import tolvin.standins.warehouse.TokenDoor;

/** Keys in Debian's SoftHSM, and trials of every way. */
class HardwareModuleTest {
  private static final Path LIBRARY = Path.of("/usr/lib/softhsm/libsofthsm2.so");
  private static final String PIN = "987654";

  @TempDir static Path directory;

  /**
   * In a process of its own, since the library reads its configuration from the environment: the
   * test below is run again with it set.
   */
  @Test
  void keysInAModuleSignInToARealServerAndNeverLeave() throws Exception {
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
    Path tokens = Files.createDirectory(directory.resolve("tokens"));
    Path settings =
        Files.writeString(
            directory.resolve("softhsm2.conf"), "directories.tokendir = " + tokens + "\n");
    run(
        settings,
        "softhsm2-util",
        "--init-token",
        "--free",
        "--label",
        "t",
        "--so-pin",
        "123456",
        "--pin",
        PIN);
    try (LocalSshServer sshd =
        LocalSshServer.at(directory.resolve("sshd"), Ports.free()).account("pump").start()) {
      Path sign = Files.writeString(directory.resolve("ask"), "#!/bin/sh\necho " + PIN + "\n");
      Files.setPosixFilePermissions(sign, PosixFilePermissions.fromString("rwx------"));
      String said =
          run(
              settings,
              ProcessHandle.current().info().command().orElse("java"),
              "-cp",
              System.getProperty("java.class.path"),
              Inside.class.getName(),
              LIBRARY.toString(),
              sshd.port() + "",
              sshd.hostKey().line(),
              sshd.authorizedKeys("pump") + "");
      assertThat(said).contains("wrong PIN refused", "cannot be taken out", "ES256 in", "RSA in");
      // the integration on that host signs in by its module itself, with OpenSSH's own client
      Path known =
          Files.writeString(
              directory.resolve("known"),
              "[127.0.0.1]:" + sshd.port() + " " + sshd.hostKey().line() + "\n");
      ProcessBuilder ssh =
          new ProcessBuilder(
              "ssh",
              "-F",
              "none",
              "-o",
              "UserKnownHostsFile=" + known,
              "-o",
              "IdentityAgent=none",
              "-o",
              "PKCS11Provider=" + LIBRARY,
              "-p",
              sshd.port() + "",
              "pump@127.0.0.1",
              "echo",
              "signed in by module");
      ssh.environment()
          .putAll(
              Map.of(
                  "SOFTHSM2_CONF",
                  settings + "",
                  "SSH_ASKPASS",
                  sign + "",
                  "SSH_ASKPASS_REQUIRE",
                  "force"));
      Process process = ssh.redirectErrorStream(true).start();
      assertThat(new String(process.getInputStream().readAllBytes()))
          .contains("signed in by module");
    }
  }

  /** What runs with the library's configuration set. */
  static final class Inside {
    public static void main(String[] arguments) throws Exception {
      try {
        HardwareModule.open(Path.of(arguments[0]), 0, "111111".toCharArray());
      } catch (SigningException e) {
        System.out.println("wrong PIN refused: " + e.whole());
      }
      for (KeyChoice choice : List.of(KeyChoice.ECDSA_P256, KeyChoice.RSA_3072)) {
        try (HardwareModule module =
            HardwareModule.open(Path.of(arguments[0]), 0, PIN.toCharArray())) {
          HardwareModule.Held made = module.make("pump-" + choice.word(), choice);
          Path keys = Path.of(arguments[3]);
          Files.writeString(
              keys, made.key().line() + "\n", java.nio.file.StandardOpenOption.APPEND);
          Map<String, PublicKey> known = new ConcurrentHashMap<>();
          try (SshConnections connections =
                  new SshConnections(SshConnections.LIMIT.multipliedBy(Ports.PATIENCE));
              TokenDoor door = TokenDoor.open(Clock.systemUTC(), known);
              Signer signer = module.signer(made.label())) {
            byte[] data = "tide".getBytes(StandardCharsets.UTF_8);
            SignatureCheck.check(made.key(), data, signer.sign(data));
            Server server =
                new Server(
                    "s",
                    "127.0.0.1",
                    Integer.parseInt(arguments[1]),
                    List.of(tolvin.core.key.OneLine.read(arguments[2]).orRefuse().key()));
            Login login = new Login(server, "pump", signer);
            boolean in = new SshTrials(connections).signIn(login).accepted();
            known.put("pump", made.key());
            boolean token =
                new AssertionTrials(Clock.systemUTC())
                    .attempt(new Attempt(Way.ASSERTION, login, door.url(), Optional.empty()))
                    .accepted();
            boolean es = made.key().type() == KeyType.ECDSA_P256;
            System.out.println(
                (es ? "ES256" : "RSA") + (in && token ? " in" : " out: " + in + token));
          }
          java.security.KeyStore store =
              java.security.KeyStore.getInstance(
                  "PKCS11",
                  java.util.Arrays.stream(java.security.Security.getProviders())
                      .filter(p -> p.getName().startsWith("SunPKCS11-tolvin"))
                      .findFirst()
                      .orElseThrow());
          store.load(null, PIN.toCharArray());
          if (store.getKey(made.label(), null).getEncoded() == null) {
            System.out.println("cannot be taken out");
          }
        }
      }
    }
  }

  @Test
  void trialsOfEveryWayAreAnswered() throws Exception {
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
    SecretPair pair = KeyPairMaker.make(KeyChoice.ED25519, new java.security.SecureRandom());
    String hash = run(null, "perl", "-e", "print crypt('haul away','$6$abcdefgh$')");
    try (LocalSshServer sshd =
            LocalSshServer.at(
                    directory.resolve("ways"),
                    Ports.free(),
                    "Match User both",
                    "  PasswordAuthentication yes",
                    "  AuthenticationMethods publickey,password",
                    "Match User noshell",
                    "  ForceCommand echo Hi there, no shell here; exit 1")
                .account("isla")
                .account("noshell")
                .account("both")
                .start();
        SshConnections connections =
            new SshConnections(SshConnections.LIMIT.multipliedBy(Ports.PATIENCE))) {
      for (String account : List.of("isla", "noshell", "both")) {
        sshd.authorize(account, pair.key().line());
      }
      Path passwd = sshd.directory().resolve("passwd");
      Files.writeString(passwd, Files.readString(passwd).replace("both:x:", "both:" + hash + ":"));
      Path repository = sshd.home("isla").resolve("timetable.git");
      run(null, "git", "init", "-q", "--bare", repository + "");
      Unprivileged.own(repository);
      Server server = new Server("s", "127.0.0.1", sshd.port(), List.of(sshd.hostKey()));
      TrialPort trials = new SshTrials(connections);
      Login isla = new Login(server, "isla", pair);
      assertThat(trials.attempt(new Attempt(Way.SFTP, isla, "", Optional.empty())).answer())
          .isEqualTo("authenticated, 1 files listed");
      assertThat(
              trials
                  .attempt(new Attempt(Way.GIT, isla, repository + "", Optional.empty()))
                  .answer())
          .isEqualTo("authenticated, the repository answers");
      assertThat(trials.attempt(new Attempt(Way.GIT, isla, "/none.git", Optional.empty())).answer())
          .startsWith("authenticated, but no repository:");
      assertThat(trials.signIn(new Login(server, "noshell", pair)).accepted()).isTrue();
      Login both = new Login(server, "both", pair);
      assertThat(trials.signIn(both).accepted()).isFalse();
      assertThat(
              trials
                  .attempt(new Attempt(Way.SSH, both, "", Optional.of("haul away".toCharArray())))
                  .accepted())
          .isTrue();
    }
  }

  @Test
  void assertionsAreGoodForOneAccountKeyAudienceAndMoment() throws Exception {
    Clock clock = Clock.systemUTC();
    Login unused = new Login(new Server("w", "", 0, List.of()), "loader", null);
    for (KeyChoice choice : KeyChoice.values()) {
      Map<String, PublicKey> known = new ConcurrentHashMap<>();
      try (TokenDoor door = TokenDoor.open(clock, known);
          SecretPair pair = KeyPairMaker.make(choice, new java.security.SecureRandom())) {
        Login login = new Login(unused.server(), "loader", pair);
        Attempt attempt = new Attempt(Way.ASSERTION, login, door.url(), Optional.empty());
        AssertionTrials trials = new AssertionTrials(clock);
        assertThat(trials.attempt(attempt).accepted()).isFalse();
        assertThat(door.lastReason()).isEqualTo("unknown account");
        known.put("loader", pair.key());
        assertThat(trials.attempt(attempt).accepted()).as(choice.word()).isTrue();
        AssertionTrials late = new AssertionTrials(Clock.offset(clock, Duration.ofMinutes(-10)));
        assertThat(late.attempt(attempt).answer()).contains("Invalid token.");
        assertThat(door.lastReason()).isEqualTo("not of this time");
        known.put("loader", KeyPairMaker.make(choice, new java.security.SecureRandom()).key());
        assertThat(trials.attempt(attempt).accepted()).isFalse();
        assertThat(door.lastReason()).isEqualTo("another key is named");
      }
    }
    assertThatThrownBy(
            () ->
                new AssertionTrials(clock)
                    .attempt(
                        new Attempt(
                            Way.ASSERTION,
                            new Login(
                                unused.server(),
                                "x",
                                KeyPairMaker.ed25519(new java.security.SecureRandom())),
                            "http://127.0.0.1:" + Ports.free() + "/token",
                            Optional.empty())))
        .isInstanceOf(PortException.class);
  }

  private static String run(Path settings, String... command) throws Exception {
    ProcessBuilder builder = new ProcessBuilder(command).redirectErrorStream(true);
    if (settings != null) {
      builder.environment().put("SOFTHSM2_CONF", settings.toString());
    }
    Process process = builder.start();
    String out = new String(process.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
    assertThat(process.waitFor()).as(out).isZero();
    return out;
  }
}
