package tolvin.service.destination;

import jakarta.enterprise.context.ApplicationScoped;
import java.util.Collection;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import java.util.stream.Collectors;
import tolvin.service.store.RowStore;

/** Accounts. */
@ApplicationScoped
public class AccountStore extends RowStore<AccountRow> {
  AccountStore() {
    super(AccountRow.class, "account");
  }

  /** The accounts in force of one destination, or of all. */
  public List<AccountRow> of(UUID destination) {
    return destination == null
        ? list("r.validUntil is null", Map.of())
        : list("r.validUntil is null and r.destinationId = :d", Map.of("d", destination));
  }

  /** The accounts in force that belong to a person. */
  public List<AccountRow> ofIdentity(UUID identity) {
    return list("r.validUntil is null and r.identityId = :i", Map.of("i", identity));
  }

  /** Accounts by their ids. */
  public List<AccountRow> byIds(Collection<UUID> ids) {
    return ids.isEmpty() ? List.of() : list("r.id in :ids", Map.of("ids", ids));
  }

  /** The accounts in force that were never read, on destinations where something may be done. */
  public List<AccountRow> neverRead() {
    return list(
        "r.validUntil is null and r.readAt is null and r.destinationId in (select d.id from"
            + " DestinationRow d where d.stoppedBecause is null)",
        Map.of());
  }

  /** The accounts in force that sign in at a destination, by their logins: its own and others'. */
  Map<String, List<AccountRow>> signingInAt(UUID destination) {
    return list(
            "r.validUntil is null and (r.destinationId = :d or r.destinationId in (select d.id from"
                + " DestinationRow d where d.signsInAtId = :d))",
            Map.of("d", destination))
        .stream()
        .collect(Collectors.groupingBy(a -> a.login));
  }

  /** The account in force with a login. */
  public Optional<AccountRow> withLogin(UUID destination, String login) {
    return byLogin(destination, login);
  }

  Optional<AccountRow> byLogin(UUID destination, String login) {
    return one(
        "r.validUntil is null and r.destinationId = :d and r.login = :login",
        Map.of("d", destination, "login", login));
  }
}
