package tolvin.cli;

import static tolvin.cli.Show.column;

import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Parameters;
import tolvin.api.people.OpenSessionView;

/** Sessions of the console. */
@Command(
    name = "session",
    mixinStandardHelpOptions = true,
    description = "Who is signed in to the console: list, remove.",
    subcommands = {SessionCommands.List_.class, SessionCommands.Remove.class})
final class SessionCommands {
  private SessionCommands() {}

  /** Lists sessions. */
  @Command(
      name = "list",
      mixinStandardHelpOptions = true,
      description = "List the sessions that go on: everybody's for an administrator, or your own.",
      footer = {"", "Example: tolvin session list"})
  static final class List_ implements Callable<Integer> {
    @Mixin private Show show;

    @Override
    public Integer call() throws Refused {
      show.list(
          Service.open().all("/sessions", OpenSessionView.class),
          "Nobody is signed in to the console.",
          column("Login", OpenSessionView::login),
          column("From", OpenSessionView::address),
          column("Begun", OpenSessionView::createdAt),
          column("Last used", OpenSessionView::lastUsedAt),
          column("Ends", OpenSessionView::endsAt),
          column("Id", OpenSessionView::id));
      return 0;
    }
  }

  /** Ends a session. */
  @Command(
      name = "remove",
      mixinStandardHelpOptions = true,
      description = "End a session; its user has to sign in again.",
      footer = {"", "Example: tolvin session remove ID"})
  static final class Remove implements Callable<Integer> {
    @Parameters(
        paramLabel = "ID",
        description = "Its id, or the beginning of it that the list shows.")
    private String id;

    @Override
    public Integer call() throws Refused {
      Service.open().remove("/sessions", OpenSessionView.class, OpenSessionView::id, "session", id);
      return 0;
    }
  }
}
