package tolvin.service.rotation;

import jakarta.annotation.security.RolesAllowed;
import jakarta.transaction.Transactional;
import jakarta.ws.rs.DefaultValue;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.PATCH;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import jakarta.ws.rs.QueryParam;
import java.util.List;
import java.util.UUID;
import tolvin.api.Page;
import tolvin.api.ReasonRequest;
import tolvin.api.rotation.AnswerRequest;
import tolvin.api.rotation.PlanStepView;
import tolvin.api.rotation.PlanView;
import tolvin.api.rotation.RotationChangeRequest;
import tolvin.api.rotation.RotationDetailView;
import tolvin.api.rotation.RotationRequest;
import tolvin.api.rotation.RotationView;
import tolvin.api.rotation.SystemChangeView;
import tolvin.core.rotation.Plan;
import tolvin.service.record.rotation.RotationStore;
import tolvin.service.snapshot.Situation;
import tolvin.service.snapshot.Snapshots;
import tolvin.service.web.Role;

/** Rotations. */
@Path("/api/v1/rotations")
@RolesAllowed(Role.ADMINISTRATOR)
public class RotationResource {
  private final Rotations rotations;
  private final RotationStore store;
  private final RotationViews views;
  private final Snapshots snapshots;
  private final Rehearsal rehearsal;
  private final Preparation preparation;

  RotationResource(
      Rotations rotations,
      RotationStore store,
      RotationViews views,
      Snapshots snapshots,
      Rehearsal rehearsal,
      Preparation preparation,
      Runner runner) {
    this.rotations = rotations;
    this.store = store;
    this.views = views;
    this.snapshots = snapshots;
    this.rehearsal = rehearsal;
    this.preparation = preparation;
  }

  /** Rotations, the newest first. */
  @GET
  @Transactional
  public Page<RotationView> listRotations(
      @QueryParam("key") UUID key,
      @QueryParam("ended") @DefaultValue("true") boolean ended,
      @QueryParam("after") UUID after,
      @QueryParam("limit") @DefaultValue("50") int limit) {
    return store.page(key, ended, after, limit).map(views::rotation);
  }

  /** One rotation with its ties, guards and attempts. */
  @GET
  @Path("{id}")
  public RotationDetailView showRotation(UUID id) {
    return views.detail(id);
  }

  /** Plans a rotation: its new pair is made in the coffer, nothing outside is touched. */
  @POST
  public RotationDetailView addRotation(RotationRequest request) {
    UUID id =
        rotations.plan(request.keyId(), request.watch(), request.reason(), request.ticket()).id;
    preparation.prepare(id);
    return views.detail(id);
  }

  /** What it would do from here. */
  @GET
  @Path("{id}/plan")
  @Transactional
  public PlanView planRotation(UUID id) {
    Situation situation = snapshots.situation(id);
    Plan plan = Plan.of(situation.snapshot(), situation.context());
    return new PlanView(
        plan.steps().stream()
            .map(
                s ->
                    new PlanStepView(
                        s.effect().map(e -> e.id().kind()).orElse(null), s.sentence(), s.guards()))
            .toList(),
        plan.obstacle().orElse(null));
  }

  /** The exact changes on every system, read now; nothing is changed. */
  @GET
  @Path("{id}/changes")
  public List<SystemChangeView> rehearseRotation(UUID id) {
    return rehearsal.changes(id);
  }

  /** Says anew how it is to be run. */
  @PATCH
  @Path("{id}")
  public RotationDetailView changeRotation(UUID id, RotationChangeRequest change) {
    rotations.change(id, change);
    return views.detail(id);
  }

  /** Runs it. */
  @POST
  @Path("{id}/run")
  public RotationDetailView runRotation(UUID id) {
    preparation.prepare(id);
    rotations.run(id);
    return views.detail(id);
  }

  /** Rolls everything back to the old key. */
  @POST
  @Path("{id}/roll-back")
  public RotationDetailView rollBackRotation(UUID id, ReasonRequest why) {
    rotations.rollBack(id, why.reason());
    return views.detail(id);
  }

  /** Stops it where it is; run goes on. */
  @POST
  @Path("{id}/stop")
  public RotationDetailView stopRotation(UUID id, ReasonRequest why) {
    rotations.stop(id, why.reason());
    return views.detail(id);
  }

  /** Answers its question with yes. */
  @POST
  @Path("{id}/accept")
  public RotationDetailView acceptRotation(UUID id, AnswerRequest answer) {
    rotations.accept(id, RotationViews.question(answer.question()), answer.reason());
    return views.detail(id);
  }
}
