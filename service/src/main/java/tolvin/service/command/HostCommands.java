package tolvin.service.command;

import static tolvin.service.store.Transactions.inNewTransaction;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import tolvin.api.command.HostCommandRequest;
import tolvin.api.command.HostCommandView;
import tolvin.core.key.PlainText;
import tolvin.core.port.CommandPort;
import tolvin.core.port.PortException;
import tolvin.service.journal.Journal;
import tolvin.service.problem.Checks;
import tolvin.service.problem.Problem;
import tolvin.service.record.command.HostCommandRow;
import tolvin.service.record.command.HostCommandStore;
import tolvin.service.store.ClockStore;

/**
 * The list of commands that may be run on hosts. A command is approved word by word, and nothing is
 * ever put into it: it is looked up when somebody names it, and again right before it is run.
 */
@ApplicationScoped
public class HostCommands {
  private final HostCommandStore store;
  private final ClockStore clock;
  private final Journal journal;

  HostCommands(HostCommandStore store, ClockStore clock, Journal journal) {
    this.store = store;
    this.clock = clock;
    this.journal = journal;
  }

  /**
   * Refuses a command that is not on the list.
   *
   * @throws Problem if nobody approved it, or the approval was taken back
   */
  @Transactional
  public void demandApproved(String command) {
    if (store.byCommand(command).isEmpty()) {
      throw Problem.conflict(
          "command-not-approved",
          "The command “" + PlainText.shown(command) + "” is not one that may be run on hosts.",
          "Have an administrator approve it, word by word: tolvin command add 'COMMAND' --reason"
              + " TEXT.");
    }
  }

  /** A port through which nothing else runs than what is on the list at that moment. */
  public CommandPort only(CommandPort port) {
    return (login, command) -> {
      if (inNewTransaction(() -> store.byCommand(command)).isEmpty()) {
        throw new PortException(
            PortException.Kind.NOT_ALLOWED,
            "The command “"
                + command
                + "” on "
                + login
                + " was not run: it is not approved any more.",
            "Have an administrator approve it, or run it there by hand.");
      }
      return port.run(login, command);
    };
  }

  @Transactional
  List<HostCommandView> inForce() {
    return store.inForce().stream().map(this::view).toList();
  }

  @Transactional
  HostCommandView approve(HostCommandRequest request) {
    String command = Checks.text(request.command(), "command");
    String reason = Checks.text(request.reason(), "reason");
    if (store.byCommand(command).isPresent()) {
      throw Problem.conflict(
          "command-exists", "This command may be run already.", "List the commands to see.");
    }
    Instant now = clock.now();
    HostCommandRow row = new HostCommandRow();
    row.id = clock.id(now);
    row.command = command;
    row.reason = reason;
    row.approvedBy = journal.callerName();
    row.approvedAt = now;
    store.add(row);
    store.flush();
    journal.write(
        "command.approved",
        row.id,
        "Command “" + command + "” may be run on hosts",
        Map.of("reason", reason));
    return view(row);
  }

  /** Takes an approval back; what still names the command fails when it would be run. */
  @Transactional
  void withdraw(UUID id) {
    HostCommandRow row = store.lock(id);
    if (row.validUntil == null) {
      row.validUntil = clock.now();
      journal.write(
          "command.removed",
          id,
          "Command “" + row.command + "” may not be run any more",
          Map.of("uses", store.uses(row.command)));
    }
  }

  private HostCommandView view(HostCommandRow row) {
    return new HostCommandView(
        row.id, row.command, row.reason, row.approvedBy, row.approvedAt, store.uses(row.command));
  }
}
