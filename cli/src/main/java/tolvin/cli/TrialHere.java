package tolvin.cli;

import java.io.IOException;
import java.io.Writer;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.nio.file.attribute.PosixFilePermissions;
import java.time.Duration;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import tolvin.api.trial.FileView;
import tolvin.api.trial.HolderTrialRequest;
import tolvin.api.trial.HolderTrialView;
import tolvin.api.trial.TrialReportRequest;
import tolvin.api.trial.TrialView;
import tolvin.connectors.holder.OwnClient;
import tolvin.core.diagnosis.Circumstances.ClientFile;
import tolvin.core.diagnosis.Circumstances.Outcome;
import tolvin.core.key.Fingerprint;

/**
 * A trial from this machine, by its own OpenSSH: what an integration or a person really signs in
 * with. What it printed, and what can be seen of its files, is sent; nothing private is.
 */
final class TrialHere {
  private static final Duration PATIENCE = Duration.ofSeconds(60);

  private final Service service;
  private final Show show;

  TrialHere(Service service, Show show) {
    this.service = service;
    this.show = show;
  }

  /**
   * Tries, reports, shows.
   *
   * @param key the registered key that is meant; null for whichever the client offers
   * @param ssh more arguments of ssh; if they name a destination, that one is used
   * @param signed the key that signs the report; null for none
   */
  int run(UUID account, UUID key, List<String> ssh, String signed, SignWith with) throws Refused {
    return run(account, key, ssh, signed, with, null, null);
  }

  int run(
      UUID account,
      UUID key,
      List<String> ssh,
      String signed,
      SignWith with,
      String alias,
      String passwordFile)
      throws Refused {
    HolderTrialView begun =
        service.post(
            "/accounts/" + account + "/trials/here",
            new HolderTrialRequest(key, null),
            HolderTrialView.class);
    Path directory = null;
    try {
      directory = Output.closedDirectory();
      OwnClient.Tried tried =
          client(begun, ssh, alias, passwordFile, with.justTyped(), directory).tryOut();
      String signature = null;
      if (tried.outcome() == Outcome.ACCEPTED && signed != null && begun.challenge() != null) {
        byte[] challenge = begun.challenge().getBytes(StandardCharsets.UTF_8);
        signature = with.sign(signed, begun.namespace(), challenge);
      }
      TrialView trial =
          service.post(
              "/trials/" + begun.id() + "/seen", report(tried, signature), TrialView.class);
      TrialCommands.show(show, trial);
      return trial.accepted() ? 0 : 1;
    } catch (IOException e) {
      throw new Refused("OpenSSH's client cannot be run here: " + e.getMessage());
    } finally {
      Output.remove(directory);
    }
  }

  private static OwnClient client(
      HolderTrialView begun,
      List<String> ssh,
      String alias,
      String passwordFile,
      char[] passphrase,
      Path directory)
      throws IOException {
    List<String> arguments = new ArrayList<>(ssh);
    Map<String, String> environment = new HashMap<>();
    if (passwordFile != null || passphrase.length > 0) {
      Path answers = directory.resolve("answer");
      StringBuilder script = new StringBuilder("#!/bin/sh\ncase \"$1\" in\n");
      if (passwordFile != null) {
        String from = quoted(Path.of(passwordFile).toAbsolutePath());
        script.append("*assword*) head -n 1 ").append(from).append(" ;;\n");
      }
      if (passphrase.length > 0) {
        String from = quoted(served(passphrase, directory));
        script.append("*assphrase*) head -n 1 ").append(from).append(" ;;\n");
      }
      Files.writeString(answers, script.append("*) exit 1 ;;\nesac\n"));
      Files.setPosixFilePermissions(answers, PosixFilePermissions.fromString("rwx------"));
      environment.put("SSH_ASKPASS", answers.toString());
      environment.put("SSH_ASKPASS_REQUIRE", "force");
    }
    if (alias != null) {
      arguments.add(alias);
      return new OwnClient(arguments, environment, PATIENCE);
    }
    Path known = Files.write(directory.resolve("known_hosts"), begun.knownHosts());
    arguments.addAll(
        List.of("-o", "UserKnownHostsFile=" + known, "-o", "GlobalKnownHostsFile=none"));
    arguments.addAll(List.of("-o", "StrictHostKeyChecking=yes"));
    arguments.addAll(List.of("-p", String.valueOf(begun.port())));
    arguments.add(begun.login() + "@" + begun.host());
    return new OwnClient(arguments, environment, PATIENCE);
  }

  private static String quoted(Path path) {
    return "'" + path.toString().replace("'", "'\\''") + "'";
  }

  /**
   * A pipe from which a passphrase can be read, as often as it is asked for; it never lies in a
   * file.
   */
  private static Path served(char[] passphrase, Path directory) throws IOException {
    Path pipe = directory.resolve("passphrase");
    try {
      Process made = new ProcessBuilder("mkfifo", "-m", "600", pipe.toString()).start();
      if (made.waitFor() != 0) {
        throw new IOException("no pipe could be made in " + directory);
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IOException("interrupted", e);
    }
    Thread serving = new Thread(() -> serve(passphrase, pipe), "passphrase");
    serving.setDaemon(true);
    serving.start();
    return pipe;
  }

  private static void serve(char[] passphrase, Path pipe) {
    while (Files.exists(pipe)) { // until the trial is over
      try (Writer out = Files.newBufferedWriter(pipe, StandardOpenOption.WRITE)) {
        out.write(passphrase); // waits until somebody reads
        out.write('\n');
      } catch (IOException read) {
        // the reader takes one line and leaves, before the pipe is closed here
      }
    }
  }

  private static TrialReportRequest report(OwnClient.Tried tried, String signature) {
    return new TrialReportRequest(
        tried.outcome(),
        tried.answer(),
        tried.seen().lines(),
        tried.seen().files().stream().map(TrialHere::file).toList(),
        tried.seen().agent(),
        tried.seen().agentKeys().stream().map(Fingerprint::value).toList(),
        tried.seen().algorithms(),
        signature);
  }

  private static FileView file(ClientFile file) {
    return new FileView(
        file.path(),
        file.kind(),
        Integer.toOctalString(file.mode()),
        file.encrypted(),
        file.key().map(Fingerprint::value).orElse(null),
        file.publicBeside().map(Fingerprint::value).orElse(null));
  }
}
