package tolvin.cli;

import static tolvin.cli.Show.column;

import java.util.UUID;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import tolvin.api.rulebook.CadenceRequest;
import tolvin.api.rulebook.CadenceView;
import tolvin.core.estate.IdentityKind;

/** Cadences, which are rules of their own sort: how often keys change. */
final class CadenceCommands {
  private CadenceCommands() {}

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
        description = "Only for person or service-account.")
    private IdentityKind kind;

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
      UUID of = identity == null ? null : IdentityCommands.id(service, identity);
      show.one(
          service.post(
              "/rules",
              new CadenceRequest(number, name, kind, of, every, lead, watch),
              CadenceView.class),
          column("Number", CadenceView::number),
          column("For", CadenceView::name),
          column("Every", CadenceView::every),
          column("Lead", CadenceView::lead),
          column("Watch", CadenceView::watch));
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
