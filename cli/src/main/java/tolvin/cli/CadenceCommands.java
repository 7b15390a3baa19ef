package tolvin.cli;

import static tolvin.cli.Show.column;

import java.time.Duration;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Cadences, which are rules of their own sort: how often keys change. */
final class CadenceCommands {
  private CadenceCommands() {}

  /** A duration in words: days where it is whole days. */
  static String words(String iso) {
    Duration duration = Duration.parse(iso);
    return duration.equals(Duration.ofDays(duration.toDays()))
        ? duration.toDays() + " days"
        : iso.substring(2).toLowerCase(java.util.Locale.ROOT);
  }

  /** Adds a cadence. */
  @Command(
      name = "add",
      mixinStandardHelpOptions = true,
      description = "Add a cadence to the rulebook.",
      footer = {
        "",
        "Example: tolvin rule add 90 'the crane feed' --identity crane-feed \\",
        "           --every P30D --lead P7D --watch P1D"
      })
  static final class Add implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(
        index = "0",
        paramLabel = "NUMBER",
        description = "The number that it is quoted by.")
    private int number;

    @Parameters(index = "1", paramLabel = "NAME", description = "Whom it is for, in words.")
    private String name;

    @Option(names = "--identity", paramLabel = "NAME", description = "Only for this identity.")
    private String identity;

    @Option(
        names = "--kind",
        paramLabel = "KIND",
        description = "Only for person or service_account.")
    private String kind;

    @Option(
        names = "--every",
        required = true,
        paramLabel = "DURATION",
        description = "The longest life of a key, such as P90D.")
    private String every;

    @Option(
        names = "--lead",
        required = true,
        paramLabel = "DURATION",
        description = "How long before the due date its rotation starts.")
    private String lead;

    @Option(
        names = "--watch",
        required = true,
        paramLabel = "DURATION",
        description = "How long an old key is watched at least.")
    private String watch;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      Map<String, Object> wish = new LinkedHashMap<>();
      wish.put("number", number);
      wish.put("name", name);
      wish.put("identityKind", kind);
      wish.put("identityId", identity == null ? null : IdentityCommands.id(service, identity));
      wish.put("every", every);
      wish.put("lead", lead);
      wish.put("watch", watch);
      show.one(
          service.post("/rules", wish),
          column("Number", "/number"),
          column("For", "/name"),
          column("Every", "/every"),
          column("Lead", "/lead"),
          column("Watch", "/watch"));
      return 0;
    }
  }

  /** Removes a cadence. */
  @Command(
      name = "remove",
      mixinStandardHelpOptions = true,
      description = "Take a cadence out of force. Other rules are changed with: rule save.",
      footer = {"", "Example: tolvin rule remove 90"})
  static final class Remove implements Callable<Integer> {
    @Parameters(paramLabel = "NUMBER", description = "Its number.")
    private int number;

    @Override
    public Integer call() throws Refused {
      Service.open().delete("/rules/" + number);
      return 0;
    }
  }
}
