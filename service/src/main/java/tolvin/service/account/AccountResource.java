package tolvin.service.account;

import jakarta.annotation.security.RolesAllowed;
import jakarta.transaction.Transactional;
import jakarta.ws.rs.Consumes;
import jakarta.ws.rs.DefaultValue;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.PATCH;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import jakarta.ws.rs.QueryParam;
import jakarta.ws.rs.core.MediaType;
import java.util.UUID;
import tolvin.api.Page;
import tolvin.api.destination.AccountChangeRequest;
import tolvin.api.destination.AccountRequest;
import tolvin.api.destination.AccountView;
import tolvin.api.destination.RegisteredView;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.web.Role;

/** Accounts on destinations. */
@Path("/api/v1")
@RolesAllowed(Role.ADMINISTRATOR)
public class AccountResource {
  private final Accounts changes;
  private final AccountStore accounts;
  private final DestinationStore destinations;

  AccountResource(Accounts changes, AccountStore accounts, DestinationStore destinations) {
    this.changes = changes;
    this.accounts = accounts;
    this.destinations = destinations;
  }

  /**
   * Accounts in force, of one destination or of all, the newest first.
   *
   * @param search a part of LOGIN@DESTINATION
   */
  @GET
  @Path("accounts")
  @Transactional
  public Page<AccountView> listAccounts(
      @QueryParam("destination") UUID destination,
      @QueryParam("search") @DefaultValue("") String search,
      @QueryParam("after") UUID after,
      @QueryParam("limit") @DefaultValue("100") int limit) {
    return accounts.page(destination, search, after, limit).map(this::view);
  }

  /** One account with what was found there last. */
  @GET
  @Path("accounts/{id}")
  @Transactional
  public AccountView showAccount(UUID id) {
    return view(accounts.get(id));
  }

  /** Changes what is known of an account; nothing is changed on its destination. */
  @PATCH
  @Path("accounts/{id}")
  @Consumes(MediaType.APPLICATION_JSON)
  @Transactional
  public AccountView changeAccount(UUID id, AccountChangeRequest change) {
    return view(changes.change(id, change));
  }

  /** Adds an account to a destination. */
  @POST
  @Path("destinations/{id}/accounts")
  @Transactional
  public AccountView addAccount(UUID id, AccountRequest request) {
    return view(changes.add(id, request));
  }

  private AccountView view(AccountRow row) {
    return new AccountView(
        row.id,
        row.destinationId,
        destinations.get(row.destinationId).name,
        row.login,
        row.kind,
        row.signInMode,
        row.holds,
        row.identityId,
        row.managedBy,
        row.otherSource,
        row.modeSeen,
        row.modeSeenAt,
        row.registered.stream().map(AccountResource::entry).toList(),
        row.readAt);
  }

  private static RegisteredView entry(AccountRow.Entry entry) {
    return new RegisteredView(
        entry.key(),
        entry.line(),
        entry.reference(),
        entry.slot(),
        entry.addedAt(),
        entry.usedAt(),
        entry.endsAt(),
        entry.ignored() ? true : null);
  }
}
