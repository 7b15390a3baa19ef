package tolvin.service.record.command;

import jakarta.enterprise.context.ApplicationScoped;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import tolvin.service.store.RowStore;

/** The commands that may be run on hosts. */
@ApplicationScoped
public class HostCommandStore extends RowStore<HostCommandRow> {
  HostCommandStore() {
    super(HostCommandRow.class, "host command");
  }

  /** The commands in force. */
  public List<HostCommandRow> inForce() {
    return list("r.validUntil is null", Map.of());
  }

  /** The row of a command, if it may be run. */
  public Optional<HostCommandRow> byCommand(String command) {
    return one("r.validUntil is null and r.command = :command", Map.of("command", command));
  }

  /** How many seats and destinations name a command. */
  public long uses(String command) {
    return ((Number)
            database
                .createNativeQuery(
                    "select (select count(*) from seat where effect_command = :command"
                        + " and valid_until is null) + (select count(*) from destination"
                        + " where reload_command = :command and valid_until is null)")
                .setParameter("command", command)
                .getSingleResult())
        .longValue();
  }
}
