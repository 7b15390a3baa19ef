package tolvin.cli;

import picocli.AutoComplete;
import picocli.CommandLine;
import picocli.CommandLine.Command;

/** The client's entry. */
@Command(
    name = "tolvin",
    mixinStandardHelpOptions = true,
    sortOptions = false,
    synopsisSubcommandLabel = "NOUN VERB",
    description = "Registers public keys and rotates them without breaking an integration.",
    subcommands = {
      Today.class,
      KeyCommands.class,
      IdentityCommands.class,
      SheetCommands.class,
      DestinationCommands.class,
      AccountCommands.class,
      PlacementCommands.class,
      IntegrationCommands.class,
      SeatCommands.class,
      TieCommands.class,
      RotationCommands.class,
      RuleCommands.class,
      CompromisedCommands.class,
      FreezeCommands.class,
      SweepCommands.class,
      FindingCommands.class,
      UseCommands.class,
      HandOverCommands.class,
      EstateCommands.class,
      JournalCommands.class,
      TrialCommands.class,
      MakerCommands.class,
      UserCommands.class,
      TokenCommands.class,
      AutoComplete.GenerateCompletion.class
    },
    footer = {
      "",
      "Where the service is: TOLVIN_URL and TOLVIN_TOKEN, or the file that the start command wrote.",
      "Exit status: 0 done; 1 refused or failed, with the reason; 2 misuse; 3 waiting for somebody.",
      "Example: tolvin key look ~/.ssh/id_ed25519.pub"
    })
public final class Main {
  /** Waiting for somebody. */
  static final int WAITING = 3;

  private Main() {}

  /** Runs one command. */
  public static void main(String[] arguments) {
    System.exit(run(arguments));
  }

  static int run(String[] arguments) {
    return commandLine().execute(arguments);
  }

  static CommandLine commandLine() {
    return new CommandLine(new Main())
        .setExecutionExceptionHandler(
            (e, command, result) -> {
              if (e instanceof Refused refused) {
                command.getErr().println(refused.getMessage());
                return refused.exitStatus();
              }
              command.getErr().println("Failed: " + e.getMessage());
              return CommandLine.ExitCode.SOFTWARE;
            })
        .setCaseInsensitiveEnumValuesAllowed(true);
  }
}
