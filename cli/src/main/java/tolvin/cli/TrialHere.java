package tolvin.cli;

import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.time.Duration;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
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
  int run(JsonNode account, String key, List<String> ssh, String signed, SignWith with)
      throws Refused {
    return run(account, key, ssh, signed, with, null, null);
  }

  int run(
      JsonNode account,
      String key,
      List<String> ssh,
      String signed,
      SignWith with,
      String alias,
      String passwordFile)
      throws Refused {
    Map<String, Object> wish = new LinkedHashMap<>();
    wish.put("keyId", key);
    JsonNode begun = service.post("/accounts/" + account.get("id").asText() + "/trials/here", wish);
    Path directory = null;
    try {
      directory = Output.closedDirectory();
      OwnClient.Tried tried = client(begun, ssh, alias, passwordFile, directory).tryOut();
      Map<String, Object> seen = seen(tried);
      if (tried.outcome() == Outcome.ACCEPTED && signed != null) {
        byte[] challenge = begun.get("challenge").asText().getBytes(StandardCharsets.UTF_8);
        seen.put("signature", with.sign(signed, begun.get("namespace").asText(), challenge));
      }
      JsonNode trial = service.post("/trials/" + begun.get("id").asText() + "/seen", seen);
      TrialCommands.show(show, trial);
      return trial.get("accepted").asBoolean() ? 0 : 1;
    } catch (IOException e) {
      throw new Refused("OpenSSH's client cannot be run here: " + e.getMessage());
    } finally {
      Output.remove(directory);
    }
  }

  private static OwnClient client(
      JsonNode begun, List<String> ssh, String alias, String passwordFile, Path directory)
      throws IOException {
    List<String> arguments = new ArrayList<>(ssh);
    Map<String, String> environment = new HashMap<>();
    if (passwordFile != null) {
      Path answers = directory.resolve("answer");
      Files.writeString(
          answers,
          "#!/bin/sh\ncase \"$1\" in *assword*) head -n 1 '"
              + Path.of(passwordFile).toAbsolutePath().toString().replace("'", "'\\''")
              + "' ;; *) exit 1 ;; esac\n");
      Files.setPosixFilePermissions(answers, PosixFilePermissions.fromString("rwx------"));
      environment.put("SSH_ASKPASS", answers.toString());
      environment.put("SSH_ASKPASS_REQUIRE", "force");
    }
    if (alias != null) {
      arguments.add(alias);
      return new OwnClient(arguments, environment, PATIENCE);
    }
    List<String> lines = new ArrayList<>();
    begun.get("knownHosts").forEach(line -> lines.add(line.asText()));
    Path known = Files.write(directory.resolve("known_hosts"), lines);
    arguments.addAll(
        List.of("-o", "UserKnownHostsFile=" + known, "-o", "GlobalKnownHostsFile=none"));
    arguments.addAll(List.of("-o", "StrictHostKeyChecking=yes"));
    arguments.addAll(List.of("-p", begun.get("port").asText()));
    arguments.add(begun.get("login").asText() + "@" + begun.get("host").asText());
    return new OwnClient(arguments, environment, PATIENCE);
  }

  private static Map<String, Object> seen(OwnClient.Tried tried) {
    List<Map<String, Object>> files = new ArrayList<>();
    for (ClientFile file : tried.seen().files()) {
      Map<String, Object> one = new LinkedHashMap<>();
      one.put("path", file.path());
      one.put("kind", file.kind());
      one.put("mode", Integer.toOctalString(file.mode()));
      one.put("encrypted", file.encrypted());
      one.put("key", file.key().map(Fingerprint::value).orElse(null));
      one.put("publicBeside", file.publicBeside().map(Fingerprint::value).orElse(null));
      files.add(one);
    }
    Map<String, Object> seen = new LinkedHashMap<>();
    seen.put(
        "outcome", tried.outcome().name().toLowerCase(java.util.Locale.ROOT).replace('_', '-'));
    seen.put("answer", tried.answer());
    seen.put("lines", tried.seen().lines());
    seen.put("files", files);
    seen.put("agent", tried.seen().agent());
    seen.put("agentKeys", tried.seen().agentKeys().stream().map(Fingerprint::value).toList());
    seen.put("algorithms", tried.seen().algorithms());
    return seen;
  }
}
