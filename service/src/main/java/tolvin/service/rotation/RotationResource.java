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
import tolvin.core.rotation.Plan;
import tolvin.service.people.Role;
import tolvin.service.rotation.RotationViews.Rotation;
import tolvin.service.rotation.RotationViews.RotationDetail;
import tolvin.service.web.Page;

/** Rotations. */
@Path("/api/v1/rotations")
@RolesAllowed(Role.ADMINISTRATOR)
public class RotationResource {
  private final Rotations rotations;
  private final RotationStore store;
  private final RotationViews views;
  private final Pictures pictures;
  private final Rehearsal rehearsal;
  private final Preparation preparation;
  private final Runner runner;

  RotationResource(
      Rotations rotations,
      RotationStore store,
      RotationViews views,
      Pictures pictures,
      Rehearsal rehearsal,
      Preparation preparation,
      Runner runner) {
    this.rotations = rotations;
    this.store = store;
    this.views = views;
    this.pictures = pictures;
    this.rehearsal = rehearsal;
    this.preparation = preparation;
    this.runner = runner;
  }

  /**
   * A rotation to plan.
   *
   * @param keyId the key to replace
   * @param watch how long the old key is watched at least, in ISO 8601; by the rule if absent
   * @param reason why, for the journal
   * @param ticket a ticket's number, may be absent
   */
  public record RotationWish(UUID keyId, String watch, String reason, String ticket) {}

  /**
   * How a rotation that does not run yet is to be run; what is absent stays as it was planned.
   *
   * @param watch how long the old key is watched at least, in ISO 8601
   * @param reason why, for the journal
   * @param ticket a ticket's number
   */
  public record RotationChange(String watch, String reason, String ticket) {}

  /** Why something is done. */
  public record Why(String reason) {}

  /** A question that is answered with yes. */
  public record Answer(String question, String reason) {}

  /** A step of a plan. */
  public record PlanStep(String effect, String sentence, List<String> guards) {}

  /**
   * What a rotation would do from here.
   *
   * @param obstacle what a person has to settle first, absent if nothing
   */
  public record PlanView(List<PlanStep> steps, String obstacle) {}

  /** Rotations, the newest first. */
  @GET
  @Transactional
  public Page<Rotation> listRotations(
      @QueryParam("key") UUID key,
      @QueryParam("ended") @DefaultValue("true") boolean ended,
      @QueryParam("after") UUID after,
      @QueryParam("limit") @DefaultValue("50") int limit) {
    return store.page(key, ended, after, limit).map(views::rotation);
  }

  /** One rotation with its ties, guards and attempts. */
  @GET
  @Path("{id}")
  public RotationDetail showRotation(UUID id) {
    return views.detail(id);
  }

  /** Plans a rotation: its new pair is made in the coffer, nothing outside is touched. */
  @POST
  public RotationDetail addRotation(RotationWish wish) {
    UUID id = rotations.plan(wish.keyId(), wish.watch(), wish.reason(), wish.ticket()).id;
    preparation.prepare(id);
    runner.wake();
    return views.detail(id);
  }

  /** What it would do from here. */
  @GET
  @Path("{id}/plan")
  @Transactional
  public PlanView planRotation(UUID id) {
    Situation situation = pictures.situation(id);
    Plan plan = Plan.of(situation.picture(), situation.course());
    return new PlanView(
        plan.steps().stream()
            .map(
                s ->
                    new PlanStep(
                        s.effect().map(e -> e.name().split(" ")[0]).orElse("wait"),
                        s.sentence(),
                        s.guards()))
            .toList(),
        plan.obstacle().orElse(null));
  }

  /** The exact changes on every system, read now; nothing is changed. */
  @GET
  @Path("{id}/changes")
  public List<Rehearsal.SystemChange> rehearseRotation(UUID id) {
    return rehearsal.changes(id);
  }

  /** Says anew how it is to be run. */
  @PATCH
  @Path("{id}")
  public RotationDetail changeRotation(UUID id, RotationChange change) {
    rotations.change(id, change);
    return views.detail(id);
  }

  /** Runs it. */
  @POST
  @Path("{id}/run")
  public RotationDetail runRotation(UUID id) {
    preparation.prepare(id);
    rotations.run(id);
    runner.wake();
    return views.detail(id);
  }

  /** Puts everything back to the old key. */
  @POST
  @Path("{id}/put-back")
  public RotationDetail putBackRotation(UUID id, Why why) {
    rotations.putBack(id, why.reason());
    runner.wake();
    return views.detail(id);
  }

  /** Stops it where it is; run goes on. */
  @POST
  @Path("{id}/stop")
  public RotationDetail stopRotation(UUID id, Why why) {
    rotations.stop(id, why.reason());
    return views.detail(id);
  }

  /** Answers its question with yes. */
  @POST
  @Path("{id}/accept")
  public RotationDetail acceptRotation(UUID id, Answer answer) {
    rotations.accept(id, answer.question(), answer.reason());
    runner.wake();
    return views.detail(id);
  }
}
