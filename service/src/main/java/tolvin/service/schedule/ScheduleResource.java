package tolvin.service.schedule;

import jakarta.annotation.security.RolesAllowed;
import jakarta.ws.rs.DELETE;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import java.time.Duration;
import java.time.Instant;
import java.util.UUID;
import tolvin.service.people.Role;
import tolvin.service.web.Page;

/** Cadence rules and freezes. */
@Path("/api/v1")
@RolesAllowed(Role.ADMINISTRATOR)
public class ScheduleResource {
  private final Schedule schedule;

  ScheduleResource(Schedule schedule) {
    this.schedule = schedule;
  }

  /**
   * A cadence rule to add. Durations are ISO 8601.
   *
   * @param number the number that it is quoted by
   * @param name whom it is for, in words
   * @param identityKind only for this kind, absent for all
   * @param identityId only for this identity, absent for all
   * @param every the longest life of a key
   * @param lead how long before the due date its rotation starts
   * @param watch how long an old key is watched at least before it goes
   */
  public record RuleWish(
      int number,
      String name,
      String identityKind,
      UUID identityId,
      String every,
      String lead,
      String watch) {}

  /** A cadence rule as it is shown. */
  public record Rule(
      UUID id,
      int number,
      String name,
      String identityKind,
      UUID identityId,
      Duration every,
      Duration lead,
      Duration watch) {}

  /** A freeze to add. */
  public record FreezeWish(Instant from, Instant until, String reason) {}

  /** A freeze as it is shown. */
  public record FreezeView(UUID id, Instant from, Instant until, String reason) {}

  /** The rules in force. */
  @GET
  @Path("rules")
  public Page<Rule> listRules() {
    return new Page<>(schedule.cadenceRows().stream().map(ScheduleResource::view).toList(), null);
  }

  /** Adds a rule. */
  @POST
  @Path("rules")
  public Rule addRule(RuleWish wish) {
    return view(schedule.addCadence(wish));
  }

  /** Takes a rule out of force. */
  @DELETE
  @Path("rules/{id}")
  public void removeRule(UUID id) {
    schedule.removeCadence(id);
  }

  /** The freezes that are not over. */
  @GET
  @Path("freezes")
  public Page<FreezeView> listFreezes() {
    return new Page<>(
        schedule.freezeRows().stream()
            .map(f -> new FreezeView(f.id, f.fromAt, f.untilAt, f.reason))
            .toList(),
        null);
  }

  /** Adds a freeze. */
  @POST
  @Path("freezes")
  public FreezeView addFreeze(FreezeWish wish) {
    FreezeRow f = schedule.addFreeze(wish);
    return new FreezeView(f.id, f.fromAt, f.untilAt, f.reason);
  }

  /** Lifts a freeze. */
  @DELETE
  @Path("freezes/{id}")
  public void removeFreeze(UUID id) {
    schedule.removeFreeze(id);
  }

  private static Rule view(CadenceRow c) {
    return new Rule(
        c.id,
        c.number,
        c.name,
        c.identityKind,
        c.identityId,
        Duration.ofSeconds(c.everySeconds),
        Duration.ofSeconds(c.leadSeconds),
        Duration.ofSeconds(c.watchSeconds));
  }
}
