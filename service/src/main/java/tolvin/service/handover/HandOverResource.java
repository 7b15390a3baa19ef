package tolvin.service.handover;

import jakarta.annotation.security.RolesAllowed;
import jakarta.transaction.Transactional;
import jakarta.ws.rs.DefaultValue;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import jakarta.ws.rs.QueryParam;
import java.util.UUID;
import tolvin.api.Page;
import tolvin.api.ReasonRequest;
import tolvin.api.handover.AcceptanceRequest;
import tolvin.api.handover.HandOverView;
import tolvin.api.handover.PackageView;
import tolvin.api.handover.TheirKeyRequest;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.handover.HandOverRow;
import tolvin.service.record.handover.HandOverStore;
import tolvin.service.record.integration.SeatStore;
import tolvin.service.record.key.KeyStore;
import tolvin.service.web.Role;

/** Hand-overs. */
@Path("/api/v1/hand-overs")
@RolesAllowed(Role.ADMINISTRATOR)
public class HandOverResource {
  private final HandOvers handOvers;
  private final Packages packages;
  private final HandOverStore store;
  private final DestinationStore destinations;
  private final AccountStore accounts;
  private final SeatStore seats;
  private final KeyStore keys;

  HandOverResource(
      HandOvers handOvers,
      Packages packages,
      HandOverStore store,
      DestinationStore destinations,
      AccountStore accounts,
      SeatStore seats,
      KeyStore keys) {
    this.handOvers = handOvers;
    this.packages = packages;
    this.store = store;
    this.destinations = destinations;
    this.accounts = accounts;
    this.seats = seats;
    this.keys = keys;
  }

  /** Hand-overs, the newest first; those that ended too if asked for. */
  @GET
  @Transactional
  public Page<HandOverView> listHandOvers(
      @QueryParam("ended") @DefaultValue("false") boolean ended,
      @QueryParam("after") UUID after,
      @QueryParam("limit") @DefaultValue("50") int limit) {
    return store.page(ended, after, limit).map(this::view);
  }

  /** One hand-over. */
  @GET
  @Path("{id}")
  @Transactional
  public HandOverView showHandOver(UUID id) {
    return view(store.get(id));
  }

  /** Asks a partner for a key of theirs. */
  @POST
  @Transactional
  public HandOverView askForTheirKey(TheirKeyRequest request) {
    return view(handOvers.askForTheirKey(request));
  }

  /** The package to be sent, with a link that is good once; a link given before ends. */
  @POST
  @Path("{id}/package")
  @Transactional
  public PackageView packHandOver(UUID id) {
    return handOvers.pack(id);
  }

  /** Believes a partner's key whose fingerprint was compared, and places it. */
  @POST
  @Path("{id}/accept")
  @Transactional
  public HandOverView acceptTheirKey(UUID id, AcceptanceRequest acceptance) {
    return view(handOvers.accept(id, acceptance));
  }

  /** Gives a hand-over up. */
  @POST
  @Path("{id}/give-up")
  @Transactional
  public HandOverView giveUpHandOver(UUID id, ReasonRequest why) {
    return view(handOvers.giveUp(id, why.reason()));
  }

  private HandOverView view(HandOverRow row) {
    return new HandOverView(
        row.id,
        row.kind,
        row.state,
        destinations.get(row.destinationId).name,
        row.accountId != null
            ? accounts.get(row.accountId).login
            : row.seatId == null ? "" : seats.get(row.seatId).path,
        keys.find(row.keyId).map(k -> k.fingerprint).orElse(null),
        row.toWhom,
        row.contact,
        row.form,
        packages.whatToDo(row),
        row.dueAt,
        row.madeAt,
        row.linkEndsAt,
        row.reply,
        row.replyName,
        row.replyFingerprint,
        row.repliedAt,
        row.reminders,
        row.nextReminderAt,
        row.lastTrial,
        row.confirmedAt,
        row.endedBecause);
  }
}
