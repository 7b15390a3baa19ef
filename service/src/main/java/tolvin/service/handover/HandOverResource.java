package tolvin.service.handover;

import jakarta.annotation.security.RolesAllowed;
import jakarta.transaction.Transactional;
import jakarta.ws.rs.DefaultValue;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import jakarta.ws.rs.QueryParam;
import java.time.Instant;
import java.util.UUID;
import tolvin.service.destination.AccountStore;
import tolvin.service.destination.DestinationStore;
import tolvin.service.integration.SeatStore;
import tolvin.service.key.KeyStore;
import tolvin.service.people.Role;
import tolvin.service.web.Page;

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

  /**
   * A key of theirs that is asked for.
   *
   * @param accountId the account of ours that they sign in to
   * @param toWhom who is asked
   * @param contact how they are reached
   * @param dueAt until when; in a week if absent
   */
  public record TheirKeyWish(UUID accountId, String toWhom, String contact, Instant dueAt) {}

  /**
   * A key of theirs that is believed.
   *
   * @param fingerprint what they read over the telephone
   * @param identityId whose the key is
   */
  public record Acceptance(String fingerprint, UUID identityId) {}

  /** Why it is given up. */
  public record GivingUp(String reason) {}

  /**
   * A hand-over.
   *
   * @param kind register, take_out, supply or their_key
   * @param state open, replied, confirmed or given_up
   * @param about the account or seat
   * @param key the key's fingerprint; absent until they gave theirs
   * @param whatToDo what they are asked, in words
   * @param lastTrial what the last trial said, or what confirmed it
   */
  public record HandOver(
      UUID id,
      String kind,
      String state,
      String destination,
      String about,
      String key,
      String toWhom,
      String contact,
      String form,
      String whatToDo,
      Instant dueAt,
      Instant madeAt,
      Instant linkEndsAt,
      String reply,
      String replyName,
      String replyFingerprint,
      Instant repliedAt,
      int reminders,
      Instant nextReminderAt,
      String lastTrial,
      Instant confirmedAt,
      String endedBecause) {}

  /** Hand-overs, the newest first; those that ended too if asked for. */
  @GET
  @Transactional
  public Page<HandOver> listHandOvers(
      @QueryParam("ended") @DefaultValue("false") boolean ended,
      @QueryParam("after") UUID after,
      @QueryParam("limit") @DefaultValue("50") int limit) {
    return store.page(ended, after, limit).map(this::view);
  }

  /** One hand-over. */
  @GET
  @Path("{id}")
  @Transactional
  public HandOver showHandOver(UUID id) {
    return view(store.get(id));
  }

  /** Asks a partner for a key of theirs. */
  @POST
  @Transactional
  public HandOver askForTheirKey(TheirKeyWish wish) {
    return view(handOvers.askForTheirKey(wish));
  }

  /** The package to be sent, with a link that is good once; a link given before ends. */
  @POST
  @Path("{id}/package")
  @Transactional
  public Packages.Package packHandOver(UUID id) {
    return handOvers.pack(id);
  }

  /** Believes a partner's key whose fingerprint was compared, and places it. */
  @POST
  @Path("{id}/accept")
  @Transactional
  public HandOver acceptTheirKey(UUID id, Acceptance acceptance) {
    return view(handOvers.accept(id, acceptance));
  }

  /** Gives a hand-over up. */
  @POST
  @Path("{id}/give-up")
  @Transactional
  public HandOver giveUpHandOver(UUID id, GivingUp why) {
    return view(handOvers.giveUp(id, why.reason()));
  }

  private HandOver view(HandOverRow row) {
    return new HandOver(
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
