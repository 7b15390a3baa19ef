package tolvin.service.registration;

import jakarta.annotation.security.RolesAllowed;
import jakarta.transaction.Transactional;
import jakarta.ws.rs.DefaultValue;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import jakarta.ws.rs.QueryParam;
import java.util.List;
import java.util.UUID;
import tolvin.api.Page;
import tolvin.api.ReasonRequest;
import tolvin.api.registration.RegistrationLineView;
import tolvin.api.registration.RegistrationRequest;
import tolvin.api.registration.RegistrationView;
import tolvin.api.registration.RehearsedLineView;
import tolvin.core.registration.LineState;
import tolvin.service.record.registration.RegistrationLineRow;
import tolvin.service.record.registration.RegistrationStore;
import tolvin.service.web.Role;

/** Registrations of many keys. */
@Path("/api/v1/registrations")
@RolesAllowed(Role.ADMINISTRATOR)
public class RegistrationResource {
  private final Registrations registrations;
  private final RegistrationRehearsal rehearsal;
  private final RegistrationStore store;
  private final RegistrationViews views;

  RegistrationResource(
      Registrations registrations,
      RegistrationRehearsal rehearsal,
      RegistrationStore store,
      RegistrationViews views) {
    this.registrations = registrations;
    this.rehearsal = rehearsal;
    this.store = store;
    this.views = views;
  }

  /**
   * Registrations, the newest first.
   *
   * @param ended whether those that are over are listed, too
   */
  @GET
  @Transactional
  public Page<RegistrationView> listRegistrations(
      @QueryParam("ended") @DefaultValue("true") boolean ended,
      @QueryParam("after") UUID after,
      @QueryParam("limit") @DefaultValue("50") int limit) {
    return views.of(store.page(ended, after, limit));
  }

  /** One registration. */
  @GET
  @Path("{id}")
  @Transactional
  public RegistrationView showRegistration(UUID id) {
    return views.of(store.get(id));
  }

  /**
   * Its lines in their order.
   *
   * @param state only those that are so far
   * @param after the number behind which the page begins
   */
  @GET
  @Path("{id}/lines")
  @Transactional
  public Page<RegistrationLineView> listRegistrationLines(
      UUID id,
      @QueryParam("state") LineState state,
      @QueryParam("after") @DefaultValue("0") int after,
      @QueryParam("limit") @DefaultValue("100") int limit) {
    List<RegistrationLineRow> rows = store.lines(store.get(id).id, state, after, limit);
    boolean more =
        !rows.isEmpty() && !store.lines(id, state, rows.get(rows.size() - 1).number, 1).isEmpty();
    return new Page<>(
        views.lines(rows), more ? String.valueOf(rows.get(rows.size() - 1).number) : null);
  }

  /** Shows what would become of each line, and the exact change on each system; does nothing. */
  @POST
  @Path("rehearsal")
  public List<RehearsedLineView> rehearseRegistration(RegistrationRequest request) {
    return rehearsal.rehearse(request);
  }

  /** Begins to place the keys: one is tried first, then so many at once on each destination. */
  @POST
  @Transactional
  public RegistrationView addRegistration(RegistrationRequest request) {
    return views.of(registrations.begin(request));
  }

  /** Goes on with the others although the one that was tried first failed. */
  @POST
  @Path("{id}/go-on")
  @Transactional
  public RegistrationView goOnWithRegistration(UUID id, ReasonRequest why) {
    return views.of(registrations.goOn(id, why.reason()));
  }

  /** Begins nothing more of it; what was begun comes to its end. */
  @POST
  @Path("{id}/cancel")
  @Transactional
  public RegistrationView cancelRegistration(UUID id, ReasonRequest why) {
    return views.of(registrations.cancel(id, why.reason()));
  }
}
