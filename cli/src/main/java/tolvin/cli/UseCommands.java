package tolvin.cli;

import static tolvin.cli.Show.column;

import com.fasterxml.jackson.databind.JsonNode;
import java.io.BufferedReader;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.InputStreamReader;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import tolvin.core.signin.LoggedLine;

/** Uses of keys, as the logs of destinations tell of them. */
@Command(
    name = "use",
    mixinStandardHelpOptions = true,
    description = "Where keys were used, as the logs of destinations tell.",
    subcommands = {UseCommands.List_.class, UseCommands.Read.class})
final class UseCommands {
  private UseCommands() {}

  /** Lists uses. */
  @Command(
      name = "list",
      mixinStandardHelpOptions = true,
      description = "List the uses on a destination; accounts that nobody knows come first.",
      footer = {"", "Example: tolvin use list sftp.skerrymoor.example"})
  static final class List_ implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "DESTINATION", description = "Name or id.")
    private String destination;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      String id = DestinationCommands.find(service, destination).get("id").asText();
      show.list(
          service.get("/destinations/" + id + "/uses").get("items"),
          "No use was seen there.",
          column("Account", "/account"),
          column("Known", "/known"),
          column("Key", "/key"),
          column("From", "/address"),
          column("Last", "/lastAt"),
          column("Count", "/count"));
      return 0;
    }
  }

  /** Reads a log in. */
  @Command(
      name = "read",
      mixinStandardHelpOptions = true,
      description = {
        "Read a sign-in log in, of whatever age: a file, or standard input. A line that was counted",
        "before does not count again; lines without a time cannot be told apart and are left out."
      },
      footer = {
        "",
        "Example: journalctl -u ssh -o short-iso | tolvin use read sftp.skerrymoor.example -"
      })
  static final class Read implements Callable<Integer> {
    private static final int MOST = 8 * 1024 * 1024;

    @Mixin private Show show;

    @Parameters(index = "0", paramLabel = "DESTINATION", description = "Name or id.")
    private String destination;

    @Parameters(index = "1", paramLabel = "FILE", description = "The log; - is standard input.")
    private String file;

    @Option(
        names = "--zone",
        paramLabel = "ZONE",
        description =
            "In which the server tells times that name no zone, such as Europe/Oslo; UTC if absent.")
    private String zone;

    private final long[] sums = new long[5];
    private static final String[] FIELDS = {
      "counted", "again", "timeless", "tooOld", "unknownAccounts"
    };

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      String path =
          "/destinations/"
              + DestinationCommands.find(service, destination).get("id").asText()
              + "/uses"
              + (zone == null ? "" : "?zone=" + Service.query(zone));
      try (InputStream in = file.equals("-") ? System.in : Files.newInputStream(Path.of(file));
          BufferedReader lines =
              new BufferedReader(new InputStreamReader(in, StandardCharsets.ISO_8859_1), 1 << 16)) {
        ByteArrayOutputStream part = new ByteArrayOutputStream();
        for (String line = lines.readLine(); line != null; line = lines.readLine()) {
          if (LoggedLine.mayTell(line)) {
            part.writeBytes((line + "\n").getBytes(StandardCharsets.ISO_8859_1));
          }
          if (part.size() > MOST) {
            send(service, path, part);
          }
        }
        send(service, path, part);
      } catch (IOException e) {
        throw new Refused(file + " cannot be read: " + e.getMessage());
      }
      show.one(
          Show.object(FIELDS, sums),
          column("Counted", "/counted"),
          column("Counted before", "/again"),
          column("Without a time", "/timeless"),
          column("Too old", "/tooOld"),
          column("On unknown accounts", "/unknownAccounts"));
      return 0;
    }

    private void send(Service service, String path, ByteArrayOutputStream part) throws Refused {
      if (part.size() == 0) {
        return;
      }
      JsonNode taken = service.postBytes(path, part.toByteArray());
      for (int i = 0; i < FIELDS.length; i++) {
        sums[i] += taken.path(FIELDS[i]).asLong();
      }
      part.reset();
    }
  }
}
