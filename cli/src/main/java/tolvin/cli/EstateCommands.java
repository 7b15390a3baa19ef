package tolvin.cli;

import static tolvin.cli.Show.column;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.fasterxml.jackson.databind.node.ArrayNode;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import java.util.stream.Stream;
import picocli.CommandLine.ArgGroup;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import tolvin.core.key.PrivateHalf;

/** Taking over an estate that is there already. */
@Command(
    name = "estate",
    mixinStandardHelpOptions = true,
    description = "Take over keys that stand on many hosts already.",
    subcommands = EstateCommands.Take.class)
final class EstateCommands {
  private EstateCommands() {}

  /** Where the keys are. */
  static final class From {
    @Option(
        names = "--files",
        paramLabel = "DIR",
        description = "A directory with HOST/LOGIN files, each an authorized_keys.")
    private Path files;

    @Option(
        names = "--csv",
        paramLabel = "FILE",
        description =
            "A table with the columns destination, login, key, and perhaps host, port, identity.")
    private Path csv;
  }

  /** Takes over. */
  @Command(
      name = "take",
      mixinStandardHelpOptions = true,
      description = {
        "Take over keys from files or a table. Destinations and accounts that are missing are added,",
        "the same key on several of them becomes one; owners are only suggested, unless the table",
        "names them. May be repeated: what is in the books already is only counted."
      },
      footer = {
        "",
        "Example: tolvin estate take --files ./collected --reason 'first look' --rehearse"
      })
  static final class Take implements Callable<Integer> {
    private static final ObjectMapper JSON = new ObjectMapper();
    private static final int AT_ONCE = 50;

    /** The service takes 16 MiB at once; bytes grow by a third on their way. */
    private static final int MOST_BYTES = 8 * 1024 * 1024;

    @Mixin private Show show;
    @Mixin private Consent consent;

    @ArgGroup(multiplicity = "1")
    private From from;

    @Option(names = "--reason", required = true, paramLabel = "TEXT", description = "Why.")
    private String reason;

    @Option(names = "--rehearse", description = "Show what would be done, and do nothing.")
    private boolean rehearse;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      List<Map<String, Object>> files = from.files != null ? files() : table();
      if (!rehearse) {
        consent.ask("Take over the keys of " + files.size() + " accounts?");
      }
      ArrayNode all = JSON.createArrayNode();
      int taken = 0;
      while (taken < files.size()) {
        int until = taken;
        int size = 0;
        while (until < files.size()
            && until - taken < AT_ONCE
            && (size == 0 || size + size(files.get(until)) < MOST_BYTES)) {
          size += size(files.get(until++));
        }
        Map<String, Object> wish = new LinkedHashMap<>();
        wish.put("files", files.subList(taken, until));
        wish.put("rehearse", rehearse);
        wish.put("reason", reason);
        service.post("/estate/files", wish).forEach(all::add);
        taken = until;
        if (show.isTable() && files.size() > AT_ONCE) {
          System.err.printf("\r%d of %d accounts ", taken, files.size());
        }
      }
      show.list(
          all,
          "Nothing was found there.",
          column("Account", "/account"),
          column("New", "/fresh"),
          column("Joined", "/joined"),
          column("Known", "/known"),
          column("Passed over", "/passedOver"),
          column("Trouble", "/trouble"));
      boolean trouble = false;
      int suggested = 0;
      for (JsonNode one : all) {
        trouble |= one.hasNonNull("trouble");
        suggested += one.path("suggested").size();
      }
      if (show.isTable() && suggested > 0) {
        System.out.println(
            suggested
                + " keys have a comment that lets one guess their owner: tolvin finding list --kind"
                + " no-owner");
      }
      return trouble ? 1 : 0;
    }

    private List<Map<String, Object>> files() throws Refused {
      List<Map<String, Object>> all = new ArrayList<>();
      try (Stream<Path> hosts = Files.list(from.files)) {
        for (Path host : hosts.filter(Files::isDirectory).sorted().toList()) {
          try (Stream<Path> logins = Files.list(host)) {
            for (Path login : logins.filter(Files::isRegularFile).sorted().toList()) {
              byte[] content = Files.readAllBytes(login);
              if (PrivateHalf.recognise(content).isPresent()) {
                throw new Refused(
                    login
                        + " holds a private half. Nothing was sent; take it out of that directory,"
                        + " and treat that key as exposed if the file has travelled.");
              }
              all.add(file(host.getFileName().toString(), login.getFileName().toString(), content));
            }
          }
        }
      } catch (IOException e) {
        throw new Refused(from.files + " cannot be read: " + e.getMessage());
      }
      return all;
    }

    private static int size(Map<String, Object> file) {
      return ((byte[]) file.get("bytes")).length;
    }

    private static Map<String, Object> file(String destination, String login, byte[] content) {
      Map<String, Object> file = new LinkedHashMap<>();
      file.put("destination", destination);
      file.put("login", login);
      file.put("bytes", content);
      return file;
    }

    private List<Map<String, Object>> table() throws Refused {
      Map<String, Map<String, Object>> accounts = new LinkedHashMap<>();
      for (Map<String, String> row : CsvFile.read(from.csv, "destination", "login", "key")) {
        Map<String, Object> file =
            accounts.computeIfAbsent(
                row.get("destination") + " " + row.get("login") + " " + row.get("identity"),
                k -> file(row.get("destination"), row.get("login"), new byte[0]));
        String lines = new String((byte[]) file.get("bytes"), StandardCharsets.UTF_8);
        file.put("bytes", (lines + row.get("key") + "\n").getBytes(StandardCharsets.UTF_8));
        file.put("host", row.get("host"));
        file.put("port", CsvFile.number(row.get("port")));
        file.put("identity", row.get("identity"));
      }
      return List.copyOf(accounts.values());
    }
  }
}
