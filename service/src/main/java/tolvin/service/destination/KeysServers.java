package tolvin.service.destination;

import jakarta.enterprise.context.ApplicationScoped;
import java.util.List;
import tolvin.api.destination.KeysServerView;
import tolvin.core.port.LookPort;
import tolvin.core.server.ServerAbility;
import tolvin.core.server.ServerKind;
import tolvin.core.signin.ExtendedLog;
import tolvin.service.record.destination.DestinationRow;

/** What SSH servers make of their accounts' files of keys, to be shown. */
@ApplicationScoped
class KeysServers {
  private final LookPort looks;

  KeysServers(LookPort looks) {
    this.looks = looks;
  }

  /** What is known of it; how its files are reached as long as a connection is open. */
  KeysServerView view(DestinationRow row) {
    ServerAbility ability = row.ability();
    return new KeysServerView(
        row.identification,
        ability.kind(),
        ability.format(),
        ability.options().map(List::copyOf).orElse(null),
        ability.kind() == ServerKind.PROFTPD
            ? ExtendedLog.configuration(
                row.logPath == null ? "/var/log/proftpd/signed-in.log" : row.logPath)
            : null,
        looks.filesWay(row.host, row.port).orElse(null));
  }
}
