package tolvin.service.usage;

import jakarta.enterprise.context.ApplicationScoped;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import java.util.function.Function;
import java.util.stream.Collectors;
import tolvin.core.signin.ConnectionEvent;
import tolvin.core.signin.ConnectionEvent.End;
import tolvin.core.signin.ConnectionEvent.SignIn;
import tolvin.core.signin.LoggedLine;
import tolvin.service.destination.Access;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.placement.PlacementStore;

/**
 * Sign-ins with one login that all accounts of a destination share, as those of a git hosting layer
 * do: a server's log names that login, and only the key tells whose sign-in it was.
 */
@ApplicationScoped
class SharedLogins {
  private final DestinationStore destinations;
  private final AccountStore accounts;
  private final KeyStore keys;
  private final PlacementStore placements;
  private final Access access;

  SharedLogins(
      DestinationStore destinations,
      AccountStore accounts,
      KeyStore keys,
      PlacementStore placements,
      Access access) {
    this.destinations = destinations;
    this.accounts = accounts;
    this.keys = keys;
    this.placements = placements;
    this.access = access;
  }

  /**
   * The lines of a server's log with the account's login where a shared one stands; a line of a key
   * that is on no such account stays as it is.
   */
  List<LoggedLine> told(UUID server, List<LoggedLine> lines) {
    Map<UUID, String> sharing = new HashMap<>();
    destinations
        .signingInAt(server)
        .forEach(d -> access.sharedLogin(d).ifPresent(login -> sharing.put(d.id, login)));
    if (sharing.isEmpty()) {
      return lines;
    }
    Map<String, String> owners = owners(sharing, lines);
    Map<String, String> open = new HashMap<>();
    List<LoggedLine> told = new ArrayList<>();
    for (LoggedLine line : lines) {
      ConnectionEvent event = line.event();
      String connection = event.address() + " " + event.port();
      String owner =
          event instanceof SignIn signIn
              ? owners.get(signIn.user() + " " + signIn.key().value())
              : event instanceof End ? open.remove(connection) : null;
      if (event instanceof SignIn && owner != null) {
        open.put(connection, owner);
      }
      told.add(owner == null ? line : as(line, owner));
    }
    return told;
  }

  private static LoggedLine as(LoggedLine line, String login) {
    ConnectionEvent event = line.event();
    if (event instanceof SignIn signIn) {
      event = new SignIn(login, signIn.address(), signIn.port(), signIn.key());
    } else if (event instanceof End end) {
      event = new End(login, end.address(), end.port());
    }
    return new LoggedLine(event, line.at(), line.host(), line.digest());
  }

  /** Whose sign-in it is, by the shared login and the key. */
  private Map<String, String> owners(Map<UUID, String> sharing, List<LoggedLine> lines) {
    Map<UUID, String> prints =
        keys
            .everAmong(
                lines.stream()
                    .flatMap(line -> line.signIn().stream())
                    .map(signIn -> signIn.key().value())
                    .collect(Collectors.toSet()))
            .stream()
            .collect(Collectors.toMap(k -> k.id, (KeyRow k) -> k.fingerprint));
    var placed = placements.everOfKeys(prints.keySet());
    Map<UUID, AccountRow> rows =
        accounts.byIds(placed.stream().map(p -> p.accountId).collect(Collectors.toSet())).stream()
            .filter(a -> sharing.containsKey(a.destinationId))
            .collect(Collectors.toMap(a -> a.id, Function.identity()));
    Map<String, String> owners = new HashMap<>();
    placed.stream()
        .filter(p -> rows.containsKey(p.accountId))
        .forEach(
            p -> {
              AccountRow account = rows.get(p.accountId);
              owners.put(
                  sharing.get(account.destinationId) + " " + prints.get(p.keyId), account.login);
            });
    return owners;
  }
}
