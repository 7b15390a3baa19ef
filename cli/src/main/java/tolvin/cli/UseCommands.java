package tolvin.cli;

import static tolvin.cli.Show.column;

import java.io.BufferedReader;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.InputStreamReader;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.UUID;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import tolvin.api.destination.ReadInView;
import tolvin.api.destination.UseView;
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
      description = "List the uses on a destination; unknown accounts come first.",
      footer = {"", "Example: tolvin use list sftp.skerrymoor.example"})
  static final class List_ implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "DESTINATION", description = "Name or id.")
    private String destination;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      UUID id = DestinationCommands.find(service, destination).id();
      show.list(
          service.page("/destinations/" + id + "/uses", UseView.class).items(),
          "No use was seen there.",
          column("Account", UseView::account),
          column("Known", UseView::known),
          column("Key", UseView::key),
          column("From", UseView::address),
          column("Last", UseView::lastAt),
          column("Count", UseView::count));
      return 0;
    }
  }

  /** Reads a log in. */
  @Command(
      name = "read",
      mixinStandardHelpOptions = true,
      description = {
        "Read in a sign-in log of any age: a file, or standard input. A line that was "
            + "counted before does not count again; lines without a time cannot be told "
            + "apart and are left out."
      },
      footer = {
        "",
        "Example: journalctl -u ssh -o short-iso | tolvin use read " + "sftp.skerrymoor.example -"
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
            "In which the server tells times that name no zone, such as Europe/Oslo; UTC "
                + "if absent.")
    private String zone;

    private ReadInView sum = new ReadInView(0, 0, 0, 0, 0);

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      String path =
          "/destinations/"
              + DestinationCommands.find(service, destination).id()
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
          sum,
          column("Counted", ReadInView::counted),
          column("Counted before", ReadInView::again),
          column("Without a time", ReadInView::timeless),
          column("Too old", ReadInView::tooOld),
          column("On unknown accounts", ReadInView::unknownAccounts));
      return 0;
    }

    private void send(Service service, String path, ByteArrayOutputStream part) throws Refused {
      if (part.size() == 0) {
        return;
      }
      ReadInView more = service.postBytes(path, part.toByteArray(), ReadInView.class);
      sum =
          new ReadInView(
              sum.counted() + more.counted(),
              sum.again() + more.again(),
              sum.timeless() + more.timeless(),
              sum.tooOld() + more.tooOld(),
              sum.unknownAccounts() + more.unknownAccounts());
      part.reset();
    }
  }
}
