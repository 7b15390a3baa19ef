package tolvin.service.placement;

import jakarta.annotation.security.RolesAllowed;
import jakarta.transaction.Transactional;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import jakarta.ws.rs.QueryParam;
import java.time.Instant;
import java.util.List;
import java.util.UUID;
import tolvin.core.removal.Removal;
import tolvin.service.destination.AccountStore;
import tolvin.service.destination.DestinationStore;
import tolvin.service.key.KeyRow;
import tolvin.service.key.KeyStore;
import tolvin.service.people.Role;
import tolvin.service.rotation.Removals;
import tolvin.service.web.Page;
import tolvin.service.web.Problem;

/** Placements. */
@Path("/api/v1/placements")
@RolesAllowed(Role.ADMINISTRATOR)
public class PlacementResource {
  private final Placements placements;
  private final PlacementStore store;
  private final KeyStore keys;
  private final AccountStore accounts;
  private final DestinationStore destinations;
  private final Removals removals;

  PlacementResource(
      Placements placements,
      PlacementStore store,
      KeyStore keys,
      AccountStore accounts,
      DestinationStore destinations,
      Removals removals) {
    this.placements = placements;
    this.store = store;
    this.keys = keys;
    this.accounts = accounts;
    this.destinations = destinations;
    this.removals = removals;
  }

  /**
   * A placement to make.
   *
   * @param purpose sign-in or signing; sign-in if absent
   * @param access read or write; write if absent
   * @param sources the addresses that the key is good from; absent or empty for all
   * @param endsAt when the destination stops accepting it by itself; absent for never
   * @param options other options of a line of authorized_keys, one each, such as {@code
   *     command="…"}
   */
  public record PlacementWish(
      UUID keyId,
      UUID accountId,
      String title,
      String purpose,
      String access,
      List<String> sources,
      Instant endsAt,
      List<String> options) {}

  /**
   * Why a placement is to be withdrawn.
   *
   * @param overrule whether it is to go although something would break, which the refusal tells
   */
  public record WithdrawalWish(String reason, Boolean overrule) {}

  /**
   * A placement as it is shown.
   *
   * @param reason what stands in its way, absent if nothing does
   * @param reference the destination's own reference; empty if there is none
   * @param line the line as it stands at the destination
   */
  public record Placement(
      UUID id,
      UUID keyId,
      String key,
      UUID accountId,
      String account,
      String state,
      String reason,
      String title,
      String purpose,
      String access,
      String reference,
      String line,
      List<String> sources,
      Instant endsAt,
      List<String> options,
      Instant wantedAt,
      Instant placedAt,
      Instant provenAt,
      Instant withdrawnAt) {}

  /** The placements on an account, or those of a key with the withdrawn ones. */
  @GET
  @Transactional
  public Page<Placement> listPlacements(
      @QueryParam("key") UUID key, @QueryParam("account") UUID account) {
    if (key == null && account == null) {
      throw Problem.invalid(
          "A key or an account is needed.", "Add ?key= or ?account= with its id.");
    }
    List<PlacementRow> rows =
        key != null ? store.everOfKeys(List.of(key)) : store.liveOnAccounts(List.of(account));
    return new Page<>(rows.stream().map(this::view).toList(), null);
  }

  /** One placement. */
  @GET
  @Path("{id}")
  @Transactional
  public Placement showPlacement(UUID id) {
    return view(store.get(id));
  }

  /**
   * Wants a key on an account; it is placed by the runner, and the placement shows how far it is.
   */
  @POST
  @Transactional
  public Placement addPlacement(PlacementWish wish) {
    return view(placements.want(wish));
  }

  /** Wants a placement withdrawn; refused while something would break, unless that is overruled. */
  @POST
  @Path("{id}/withdraw")
  @Transactional
  public Placement withdrawPlacement(UUID id, WithdrawalWish wish) {
    PlacementRow row = store.get(id);
    accounts.lock(row.accountId); // other doors plan under the same lock
    Removal removal =
        Removals.of(row.accountId, keys.get(row.keyId).fingerprint, Removal.Door.WITHDRAWAL);
    boolean overrule = Boolean.TRUE.equals(wish.overrule());
    return view(placements.withdraw(id, wish.reason(), removals.refuse(removal, overrule)));
  }

  private Placement view(PlacementRow row) {
    KeyRow key = keys.get(row.keyId);
    return new Placement(
        row.id,
        row.keyId,
        key.fingerprint,
        row.accountId,
        destinations.nameOf(accounts.get(row.accountId)),
        row.state,
        row.reason,
        row.title,
        row.purpose,
        row.access,
        row.reference,
        row.line,
        row.sources,
        row.endsAt,
        row.options,
        row.wantedAt,
        row.placedAt,
        row.provenAt,
        row.withdrawnAt);
  }
}
