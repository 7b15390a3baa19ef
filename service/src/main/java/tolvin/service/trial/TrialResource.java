package tolvin.service.trial;

import jakarta.annotation.security.RolesAllowed;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import jakarta.ws.rs.QueryParam;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import java.util.UUID;
import tolvin.core.diagnosis.Circumstances.ClientFile;
import tolvin.core.diagnosis.Circumstances.ClientSide;
import tolvin.core.diagnosis.Circumstances.Outcome;
import tolvin.core.key.Fingerprint;
import tolvin.core.proof.Challenge;
import tolvin.service.people.Role;
import tolvin.service.placement.TrialRow;
import tolvin.service.proof.Owners;
import tolvin.service.web.Page;
import tolvin.service.web.Problem;

/** Trials and their explanations. */
@Path("/api/v1")
@RolesAllowed({Role.ADMINISTRATOR, Role.SELF})
public class TrialResource {
  private static final int MOST_LINES = 2000;
  private static final int MOST_FILES = 100;

  private final Trials trials;
  private final Owners owners;

  TrialResource(Trials trials, Owners owners) {
    this.trials = trials;
    this.owners = owners;
  }

  /**
   * A trial by Tolvin.
   *
   * @param keyId a key whose private half is in the coffer
   * @param way ssh, sftp or git; absent for what the destination is used by
   * @param target the directory to list, or the repository to look at
   */
  public record TrialWish(UUID keyId, String way, String target) {}

  /** A holder's trial; the key may be absent if it is not registered. */
  public record HolderTrialWish(UUID keyId, UUID identityId) {}

  /**
   * A holder's trial that has begun: sign in now, sign the challenge, and report both.
   *
   * @param knownHosts the server's pinned host keys as lines for known_hosts
   */
  public record HolderTrial(
      UUID id,
      String login,
      String host,
      int port,
      List<String> knownHosts,
      String fingerprint,
      String challenge,
      String namespace) {}

  /** A private file as the holder's client sees it; nothing private is in it. */
  public record FileView(
      String path, String kind, String mode, boolean encrypted, String key, String publicBeside) {}

  /**
   * What a holder saw.
   *
   * @param outcome accepted, refused, host-key or unreachable
   * @param lines what ssh -v printed
   * @param agent none, silent or answers
   * @param signature over the challenge, if the sign-in succeeded and it shall be a proof
   */
  public record Seen(
      String outcome,
      String answer,
      List<String> lines,
      List<FileView> files,
      String agent,
      List<String> agentKeys,
      List<String> algorithms,
      String signature) {}

  /**
   * A trial.
   *
   * @param signed whether a holder signed that it succeeded: a seat proof
   * @param causes why it failed, most likely first
   * @param unknowns what could not be looked at, and how to find out
   */
  public record TrialView(
      UUID id,
      UUID accountId,
      String account,
      String fingerprint,
      Instant madeAt,
      String madeBy,
      String way,
      boolean accepted,
      boolean signed,
      String answer,
      List<TrialRow.CauseView> causes,
      List<String> unknowns) {}

  /** Tolvin signs in with a key from the coffer, and explains what failed. */
  @POST
  @Path("accounts/{id}/trials")
  @RolesAllowed(Role.ADMINISTRATOR)
  public TrialView addTrial(UUID id, TrialWish wish) {
    return view(trials.run(id, wish.keyId(), wish.way(), wish.target()));
  }

  /** Begins a trial by a holder on their own machine. */
  @POST
  @Path("accounts/{id}/trials/here")
  public HolderTrial beginTrial(UUID id, HolderTrialWish wish) {
    UUID asked = wish == null ? null : wish.identityId();
    UUID key = wish == null ? null : wish.keyId();
    trials.demandRight(id, key);
    Trials.Begun begun = trials.begin(id, key, asked);
    return new HolderTrial(
        begun.row().id,
        begun.login(),
        begun.host(),
        begun.port(),
        begun.knownHosts(),
        begun.key(),
        begun.challenge().text,
        Challenge.Purpose.SIGN_IN.namespace());
  }

  /** Reports what a holder saw; comes back with the explanation. */
  @POST
  @Path("trials/{id}/seen")
  public TrialView reportTrial(UUID id, Seen seen) {
    TrialRow begun = trials.trial(id);
    trials.demandRight(begun.accountId, begun.keyId);
    return view(
        trials.seen(
            id,
            Problem.word(Outcome.class, seen.outcome(), "outcome"),
            seen.answer(),
            client(seen),
            seen.signature()));
  }

  /** Trials on an account, or with a key, the newest first. */
  @GET
  @Path("trials")
  @RolesAllowed(Role.ADMINISTRATOR)
  public Page<TrialView> listTrials(
      @QueryParam("account") UUID account, @QueryParam("key") UUID key) {
    return new Page<>(trials.list(account, key).stream().map(this::view).toList(), null);
  }

  private static ClientSide client(Seen seen) {
    List<String> lines = seen.lines() == null ? List.of() : seen.lines();
    List<FileView> files = seen.files() == null ? List.of() : seen.files();
    if (lines.size() > MOST_LINES || files.size() > MOST_FILES) {
      throw Problem.invalid("The report is too long.", "Report one sign-in alone.");
    }
    try {
      return new ClientSide(
          lines,
          files.stream()
              .map(
                  f ->
                      new ClientFile(
                          f.path(),
                          f.kind(),
                          Integer.parseInt(f.mode(), 8),
                          f.encrypted(),
                          Optional.ofNullable(f.key()).map(Fingerprint::new),
                          Optional.ofNullable(f.publicBeside()).map(Fingerprint::new)))
              .toList(),
          seen.agent() == null ? "none" : seen.agent(),
          seen.agentKeys() == null
              ? List.of()
              : seen.agentKeys().stream().map(Fingerprint::new).toList(),
          seen.algorithms() == null ? List.of() : seen.algorithms());
    } catch (IllegalArgumentException | NullPointerException e) {
      throw Problem.invalid(
          "The report cannot be read: a fingerprint or mode is malformed.",
          "Use the client of the same version.");
    }
  }

  private TrialView view(TrialRow row) {
    TrialRow.Explanation why = row.explanation;
    return new TrialView(
        row.id,
        row.accountId,
        trials.name(row.accountId),
        trials.fingerprint(row.keyId),
        row.madeAt,
        row.madeBy,
        row.way,
        row.accepted,
        row.signed,
        row.answer,
        why == null ? List.of() : why.causes(),
        why == null ? List.of() : why.unknowns());
  }
}
