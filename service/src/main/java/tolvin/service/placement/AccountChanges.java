package tolvin.service.placement;

import jakarta.enterprise.context.ApplicationScoped;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import tolvin.api.rotation.SystemChangeView;
import tolvin.core.estate.Management;
import tolvin.core.port.AccountPort;
import tolvin.core.port.Place;
import tolvin.core.port.PortException;
import tolvin.service.record.account.AccountRow;

/** Reads an account and says what exactly placing or withdrawing an entry would change there. */
@ApplicationScoped
public class AccountChanges {
  private final AccountPort port;

  AccountChanges(AccountPort port) {
    this.port = port;
  }

  /**
   * What would be changed; nothing is. Not inside of any transaction.
   *
   * @param name LOGIN@DESTINATION
   * @param where how the account is reached
   * @param entry what is placed or withdrawn; empty if it is not there, so that nothing changes
   * @param line the entry as it is written down, for somebody who is asked to do it
   * @param coming whether it is placed
   * @throws PortException if the account cannot be read now
   */
  public SystemChangeView of(
      AccountRow account,
      String name,
      Place where,
      Optional<AccountPort.Entry> entry,
      String line,
      boolean coming)
      throws PortException {
    String step = coming ? "place" : "withdraw";
    if (where instanceof Place.ByHand) {
      return new SystemChangeView( // nobody can look at what else stands there
          name,
          step,
          "asked of its own administrator, by a hand-over",
          coming ? List.of() : List.of(line),
          coming ? List.of(line) : List.of(),
          0);
    }
    AccountPort.Change change =
        port.rehearse(where, coming ? entry : Optional.empty(), coming ? Optional.empty() : entry);
    List<String> before = change.before().lines().toList();
    List<String> after = change.after().lines().toList();
    List<String> removed = new ArrayList<>(before);
    after.forEach(removed::remove);
    List<String> added = new ArrayList<>(after);
    before.forEach(added::remove);
    return new SystemChangeView(
        name,
        step,
        change.where()
            + (account.managedBy == Management.ANOTHER_SOURCE
                ? ", asked of the keeper of " + account.otherSource + ", by a hand-over"
                : ""),
        removed,
        added,
        before.size() - removed.size());
  }
}
