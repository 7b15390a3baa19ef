package tolvin.cli;

import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Optional;
import picocli.AutoComplete;
import picocli.CommandLine;
import picocli.CommandLine.Command;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Spec;
import tolvin.core.estate.Access;
import tolvin.core.estate.Custody;
import tolvin.core.estate.Family;
import tolvin.core.estate.IdentityKind;
import tolvin.core.estate.Importance;
import tolvin.core.estate.Management;
import tolvin.core.estate.Purpose;
import tolvin.core.estate.SignInMode;
import tolvin.core.estate.TakesEffect;
import tolvin.core.give.ClientProgram;
import tolvin.core.pair.PrivateForm;
import tolvin.core.people.TokenScope;
import tolvin.core.people.UserRole;
import tolvin.core.port.TrialPort;
import tolvin.core.sweep.FindingKind;
import tolvin.core.sweep.FindingState;
import tolvin.core.sweep.Severity;
import tolvin.core.word.Words;

/** The client's entry. */
@Command(
    name = "tolvin",
    mixinStandardHelpOptions = true,
    sortOptions = false,
    synopsisSubcommandLabel = "NOUN VERB",
    description = "Registers public keys and rotates them without breaking an integration.",
    footer = {
      "",
      "Where the service is: TOLVIN_URL and TOLVIN_TOKEN, or the file that the start command wrote.",
      "What asks for your password takes it from the terminal, or from the first line of the file"
          + " that TOLVIN_PASSWORD_FILE names.",
      "Exit status: 0 done; 1 refused or failed, with the reason; 2 misuse; 3 waiting for somebody.",
      "Example: tolvin key look ~/.ssh/id_ed25519.pub"
    })
public final class Main {
  /** The file in an installation's data directory that says where its service is. */
  private static final String CLIENT_FILE = "client.properties";

  /** Waiting for somebody. */
  static final int WAITING = 3;

  /** What stands first on a command line, in the order in which help shows it. */
  private static final List<Class<?>> NOUNS =
      List.of(
          Today.class,
          KeyCommands.class,
          IdentityCommands.class,
          SheetCommands.class,
          DestinationCommands.class,
          AccountCommands.class,
          PlacementCommands.class,
          RegistrationCommands.class,
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
          HostCommandCommands.class,
          EstateCommands.class,
          JournalCommands.class,
          CofferCommands.class,
          TrialCommands.class,
          TrustAnchorCommands.class,
          UserCommands.class,
          SessionCommands.class,
          TokenCommands.class,
          AutoComplete.GenerateCompletion.class);

  /** What options may name by a word of a closed set. */
  private static final List<Class<? extends Enum<?>>> WORDS =
      List.of(
          IdentityKind.class,
          Custody.class,
          Family.class,
          SignInMode.class,
          Management.class,
          Importance.class,
          TakesEffect.class,
          Purpose.class,
          Access.class,
          FindingKind.class,
          FindingState.class,
          Severity.class,
          UserRole.class,
          TokenScope.class,
          TrialPort.Way.class,
          PrivateForm.class,
          ClientProgram.class);

  private Main() {}

  @Spec private CommandSpec spec;

  /** Names another installation than the usual one. */
  @Option(
      names = "--at",
      paramLabel = "DIR",
      description = "Ask the service whose data directory this is, as ./start was given it.")
  private void at(Path directory) {
    Path file = directory.resolve(CLIENT_FILE);
    if (!Files.isReadable(file)) {
      throw new CommandLine.ParameterException(
          spec.commandLine(),
          directory
              + " is no data directory of a service that was started: there is no "
              + CLIENT_FILE
              + " to read. Start one with ./start --data "
              + directory
              + ".");
    }
    Service.choose(file);
  }

  @SuppressWarnings({"unchecked", "rawtypes"})
  private static void read(CommandLine line, Class words) {
    line.registerConverter(
        words,
        text -> {
          Optional<?> read = Words.read(words, text);
          if (read.isEmpty()) {
            throw new CommandLine.TypeConversionException(
                "“" + text + "” is none of: " + Words.all((Class<? extends Enum<?>>) words));
          }
          return read.get();
        });
  }

  private static String name(Class<?> noun) {
    return noun.getAnnotation(Command.class).name();
  }

  /** Runs one command. */
  public static void main(String[] arguments) {
    System.exit(run(arguments));
  }

  static int run(String[] arguments) {
    return commandLine(arguments).execute(arguments);
  }

  /**
   * What reads the command line. Working out all commands takes longer than most of them run, so
   * that only the noun which comes first is worked out, if there is one; which installation is
   * meant may stand before it.
   */
  static CommandLine commandLine(String... arguments) {
    CommandLine line = new CommandLine(new Main());
    int first = arguments.length > 0 && arguments[0].equals("--at") ? 2 : 0;
    List<Class<?>> named =
        NOUNS.stream()
            .filter(noun -> noun != AutoComplete.GenerateCompletion.class)
            .filter(noun -> arguments.length > first && arguments[first].equals(name(noun)))
            .toList();
    (named.isEmpty() ? NOUNS : named).forEach(line::addSubcommand);
    WORDS.forEach(words -> read(line, words));
    return line.setExecutionExceptionHandler(
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
