package tolvin.cli;

import static tolvin.cli.Show.column;

import com.fasterxml.jackson.databind.ObjectMapper;
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
import tolvin.api.sweep.EstateFileRequest;
import tolvin.api.sweep.EstateFilesRequest;
import tolvin.api.sweep.TakenView;
import tolvin.core.key.PrivateKeyText;

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
            "A table with the columns destination, login, key, and perhaps host, port, "
                + "identity.")
    private Path csv;
  }

  /** Takes over. */
  @Command(
      name = "take",
      mixinStandardHelpOptions = true,
      description = {
        "Take over keys from files or a table. Destinations and accounts that are "
            + "missing are added, the same key on several of them becomes one; owners are "
            + "only suggested, unless the table names them. May be repeated: what is on "
            + "record already is only counted."
      },
      footer = {
        "",
        "Example: tolvin estate take --files ./collected --reason 'first look' " + "--rehearse"
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
      List<EstateFileRequest> files = from.files != null ? files() : table();
      if (!rehearse) {
        consent.ask("Take over the keys of " + files.size() + " accounts?");
      }
      List<TakenView> all = new ArrayList<>();
      int taken = 0;
      while (taken < files.size()) {
        int until = taken;
        int size = 0;
        while (until < files.size()
            && until - taken < AT_ONCE
            && (size == 0 || size + size(files.get(until)) < MOST_BYTES)) {
          size += size(files.get(until++));
        }
        EstateFilesRequest part =
            new EstateFilesRequest(files.subList(taken, until), rehearse, reason);
        all.addAll(service.postForList("/estate/files", part, TakenView.class));
        taken = until;
        if (show.isTable() && files.size() > AT_ONCE) {
          System.err.printf("\r%d of %d accounts ", taken, files.size());
        }
      }
      show.list(
          all,
          "Nothing was found there.",
          column("Account", TakenView::account),
          column("New", TakenView::fresh),
          column("Joined", TakenView::joined),
          column("Known", TakenView::known),
          column("Ignored", TakenView::ignored),
          column("Trouble", TakenView::trouble));
      boolean trouble = false;
      int suggested = 0;
      for (TakenView one : all) {
        trouble |= one.trouble() != null;
        suggested += one.suggested() == null ? 0 : one.suggested().size();
      }
      if (show.isTable() && suggested > 0) {
        System.out.println(
            suggested
                + " keys have a comment that lets one guess their owner: tolvin finding list "
                + "--kind"
                + " no-owner");
      }
      return trouble ? 1 : 0;
    }

    private List<EstateFileRequest> files() throws Refused {
      List<EstateFileRequest> all = new ArrayList<>();
      try (Stream<Path> hosts = Files.list(from.files)) {
        for (Path host : hosts.filter(Files::isDirectory).sorted().toList()) {
          try (Stream<Path> logins = Files.list(host)) {
            for (Path login : logins.filter(Files::isRegularFile).sorted().toList()) {
              byte[] content = Files.readAllBytes(login);
              if (PrivateKeyText.recognise(content).isPresent()) {
                throw new Refused(
                    login
                        + " holds a private key. Nothing was sent; take it out of that directory,"
                        + " and treat that key as exposed if the file has travelled.");
              }
              all.add(
                  new EstateFileRequest(
                      host.getFileName().toString(),
                      null,
                      null,
                      login.getFileName().toString(),
                      null,
                      content,
                      null));
            }
          }
        }
      } catch (IOException e) {
        throw new Refused(from.files + " cannot be read: " + e.getMessage());
      }
      return all;
    }

    private static int size(EstateFileRequest file) {
      return file.bytes().length;
    }

    private List<EstateFileRequest> table() throws Refused {
      Map<String, EstateFileRequest> accounts = new LinkedHashMap<>();
      for (Map<String, String> row : CsvFile.read(from.csv, "destination", "login", "key")) {
        String account =
            row.get("destination") + " " + row.get("login") + " " + row.get("identity");
        EstateFileRequest before = accounts.get(account);
        String lines = before == null ? "" : new String(before.bytes(), StandardCharsets.UTF_8);
        accounts.put(
            account,
            new EstateFileRequest(
                row.get("destination"),
                row.get("host"),
                CsvFile.number(row.get("port")),
                row.get("login"),
                null,
                (lines + row.get("key") + "\n").getBytes(StandardCharsets.UTF_8),
                row.get("identity")));
      }
      return List.copyOf(accounts.values());
    }
  }
}
