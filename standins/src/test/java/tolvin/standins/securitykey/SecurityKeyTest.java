package tolvin.standins.securitykey;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import tolvin.core.key.OneLine;
import tolvin.core.key.PublicKey;
import tolvin.core.proof.Attestation;
import tolvin.core.proof.SignatureCheck;
import tolvin.core.proof.SshSignature;
import tolvin.standins.local.LocalSshServer;
import tolvin.standins.local.Ports;
import tolvin.standins.local.Unprivileged;

/** The simulated security key with the machine's own OpenSSH and git, at a real server. */
class SecurityKeyTest {
  private static final String PIN = "471100";

  @TempDir Path directory;
  private final Maker maker = Maker.make("Gannet Keys");
  private final Device device = new Device(maker, PIN, Duration.ofSeconds(20));
  private PluggedIn plugged;

  @BeforeEach
  void plug() throws IOException {
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
    plugged = PluggedIn.at(directory.resolve("device"), device);
    device.finger(Device.Finger.ALWAYS);
  }

  @AfterEach
  void unplug() {
    plugged.close();
  }

  @ParameterizedTest
  @ValueSource(strings = {"ed25519-sk", "ecdsa-sk"})
  void opensshMakesKeysOnItThatSignAndAttest(String type) throws Exception {
    Path challenge = Files.writeString(directory.resolve("challenge"), "Tolvin challenge\n");
    Path key = directory.resolve("key");
    Path attested = directory.resolve("attestation");
    Ran made =
        run(
            "ssh-keygen",
            "-q",
            "-t",
            type,
            "-N",
            "",
            "-C",
            "isla",
            "-f",
            key + "",
            "-O",
            "challenge=" + challenge,
            "-O",
            "write-attestation=" + attested);
    assertThat(made.status()).as(made.text()).isZero();
    PublicKey open = publicKey(key);
    Attestation attestation = Attestation.read(Files.readAllBytes(attested));
    Attestation.Attested proven =
        attestation.check(
            open, Files.readAllBytes(challenge), List.of(maker.certificate()), Instant.now());
    assertThat(proven.model()).isEqualTo(Device.model());
    assertThat(proven.device().touched()).isTrue();

    Ran signed = run("ssh-keygen", "-q", "-Y", "sign", "-n", "a@b", "-f", key + "", challenge + "");
    assertThat(signed.status()).as(signed.text()).isZero();
    SignatureCheck.Checked checked =
        SshSignature.read(Files.readString(Path.of(challenge + ".sig")))
            .check("a@b", Files.readAllBytes(challenge));
    assertThat(checked.device().orElseThrow().touched()).isTrue();
    assertThat(checked.device().orElseThrow().verified()).isFalse();
    assertThat(checked.device().orElseThrow().counter()).isEqualTo(1);
  }

  @Test
  void residentKeysGoToAnotherMachineAndWantThePin() throws Exception {
    Path key = directory.resolve("key");
    device.typePin(PIN);
    Ran made =
        run(
            "ssh-keygen",
            "-q",
            "-t",
            "ed25519-sk",
            "-O",
            "resident",
            "-O",
            "verify-required",
            "-N",
            "",
            "-f",
            key + "");
    assertThat(made.status()).as(made.text()).isZero();
    Path elsewhere = Files.createDirectory(directory.resolve("elsewhere"));
    Path asking = Files.writeString(directory.resolve("ask"), "#!/bin/sh\necho " + PIN + "\n");
    Files.setPosixFilePermissions(asking, PosixFilePermissions.fromString("rwx------"));
    Map<String, String> pin = Map.of("SSH_ASKPASS", asking + "", "SSH_ASKPASS_REQUIRE", "force");
    Ran loaded = run(elsewhere, pin, "ssh-keygen", "-K", "-N", "");
    assertThat(loaded.status()).as(loaded.text()).isZero();
    Path carried = elsewhere.resolve("id_ed25519_sk_rk");
    assertThat(publicKey(carried)).isEqualTo(publicKey(key));
    device.plugged(false);
    device.plugged(true);
    Path message = Files.writeString(directory.resolve("m"), "m");
    Ran signed =
        run(
            directory,
            pin,
            "ssh-keygen",
            "-Y",
            "sign",
            "-n",
            "a@b",
            "-f",
            carried + "",
            message + "");
    assertThat(signed.status()).as(signed.text()).isZero();
    assertThat(
            SshSignature.read(Files.readString(Path.of(message + ".sig")))
                .check("a@b", Files.readAllBytes(message))
                .device()
                .orElseThrow()
                .verified())
        .isTrue();
  }

  @Test
  void gitPushesThroughARealServerOnlyWhenItIsPluggedInAndTouched() throws Exception {
    try (LocalSshServer sshd =
        LocalSshServer.at(directory.resolve("sshd"), Ports.free()).account("isla").start()) {
      Path key = directory.resolve("key");
      assertThat(run("ssh-keygen", "-q", "-t", "ecdsa-sk", "-N", "", "-f", key + "").status())
          .isZero();
      sshd.authorize("isla", Files.readString(Path.of(key + ".pub")).strip());
      Path bare = sshd.home("isla").resolve("timetable.git");
      assertThat(run("git", "init", "-q", "--bare", bare + "").status()).isZero();
      Unprivileged.own(bare);
      Path work = directory.resolve("work");
      assertThat(run("git", "init", "-q", work + "").status()).isZero();
      Path known =
          Files.writeString(
              directory.resolve("known"),
              "[127.0.0.1]:" + sshd.port() + " " + sshd.hostKey().line() + "\n");
      String common = " -F none -o BatchMode=yes -o UserKnownHostsFile=" + known;
      String byAgent = "ssh -o IdentityAgent=" + plugged.agent() + " -o IdentityFile=none" + common;
      String byFile = "ssh -i " + key + " -o IdentitiesOnly=yes -o IdentityAgent=none" + common;
      String url = "ssh://isla@127.0.0.1:" + sshd.port() + bare;

      for (String ssh : List.of(byAgent, byFile)) {
        assertThat(push(work, url, ssh).status()).as("touched").isZero();
      }
      device.plugged(false);
      for (String ssh : List.of(byAgent, byFile)) {
        long begun = System.nanoTime();
        Ran refused = push(work, url, ssh);
        assertThat(refused.status()).as("unplugged").isNotZero();
        assertThat(refused.text()).contains("Permission denied (publickey)");
        assertThat(Duration.ofNanos(System.nanoTime() - begun)).isLessThan(Duration.ofSeconds(15));
      }
      device.plugged(true);
      device.finger(Device.Finger.REFUSES);
      assertThat(push(work, url, byFile).status()).as("refused").isNotZero();
      device.finger(Device.Finger.WHEN_TOLD);
      Thread touching =
          new Thread(
              () -> {
                while (!device.isBlinking()) {
                  Thread.onSpinWait();
                }
                device.touch();
              });
      touching.start();
      assertThat(push(work, url, byFile).status()).as("touched when it blinked").isZero();
      touching.join();

      // The private file alone, on a machine with another device, is worth nothing.
      device.finger(Device.Finger.ALWAYS);
      Device other = new Device(maker, PIN, Duration.ofSeconds(5));
      other.finger(Device.Finger.ALWAYS);
      try (PluggedIn thief = PluggedIn.at(directory.resolve("thief"), other)) {
        Ran stolen =
            run(
                work,
                Map.of("GIT_SSH_COMMAND", byFile, "SSH_SK_HELPER", thief.helper() + ""),
                "git",
                "push",
                "-q",
                url,
                "HEAD:refs/heads/stolen");
        assertThat(stolen.status()).isNotZero();
        assertThat(stolen.text()).contains("Permission denied (publickey)");
      }
    }
  }

  private Ran push(Path work, String url, String ssh) throws Exception {
    run(
        work,
        Map.of(),
        "git",
        "-c",
        "user.name=isla",
        "-c",
        "user.email=i@skerrymoor.example",
        "commit",
        "-q",
        "--allow-empty",
        "-m",
        "tide");
    return run(work, Map.of("GIT_SSH_COMMAND", ssh), "git", "push", "-q", url, "HEAD:main");
  }

  private record Ran(int status, String text) {}

  private Ran run(String... command) throws Exception {
    return run(directory, Map.of(), command);
  }

  private Ran run(Path where, Map<String, String> more, String... command) throws Exception {
    ProcessBuilder builder =
        new ProcessBuilder(new ArrayList<>(List.of(command)))
            .directory(where.toFile())
            .redirectErrorStream(true);
    builder.environment().put("SSH_SK_HELPER", plugged.helper().toString());
    builder.environment().put("HOME", directory.toString());
    builder.environment().remove("SSH_AUTH_SOCK");
    builder.environment().putAll(more);
    Process process = builder.start();
    process.getOutputStream().close();
    String text = new String(process.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
    assertThat(process.waitFor(60, TimeUnit.SECONDS)).isTrue();
    return new Ran(process.exitValue(), text);
  }

  private static PublicKey publicKey(Path file) throws Exception {
    return OneLine.read(Files.readAllBytes(Path.of(file + ".pub"))).orRefuse().key();
  }
}
