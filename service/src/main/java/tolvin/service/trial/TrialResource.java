package tolvin.service.trial;

import jakarta.annotation.security.RolesAllowed;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import jakarta.ws.rs.Produces;
import jakarta.ws.rs.QueryParam;
import jakarta.ws.rs.core.MediaType;
import java.util.List;
import java.util.Optional;
import java.util.UUID;
import tolvin.api.Page;
import tolvin.api.trial.CauseView;
import tolvin.api.trial.FileView;
import tolvin.api.trial.HolderTrialRequest;
import tolvin.api.trial.HolderTrialView;
import tolvin.api.trial.TrialReportRequest;
import tolvin.api.trial.TrialRequest;
import tolvin.api.trial.TrialView;
import tolvin.core.diagnosis.Circumstances.ClientFile;
import tolvin.core.diagnosis.Circumstances.ClientSide;
import tolvin.core.key.Fingerprint;
import tolvin.core.proof.Challenge;
import tolvin.service.problem.Checks;
import tolvin.service.problem.Problem;
import tolvin.service.record.placement.TrialRow;
import tolvin.service.web.Role;

/** Trials and their explanations. */
@Path("/api/v1")
@RolesAllowed({Role.ADMINISTRATOR, Role.SELF})
public class TrialResource {
  private static final int MOST_LINES = 2000;
  private static final int MOST_FILES = 100;

  private final TrialRecord trials;
  private final OwnTrials ours;
  private final HolderTrials holders;
  private final SupportTexts texts;

  TrialResource(TrialRecord trials, OwnTrials ours, HolderTrials holders, SupportTexts texts) {
    this.trials = trials;
    this.ours = ours;
    this.holders = holders;
    this.texts = texts;
  }

  /** Tolvin signs in with a key from the coffer, and explains what failed. */
  @POST
  @Path("accounts/{id}/trials")
  @RolesAllowed(Role.ADMINISTRATOR)
  public TrialView addTrial(UUID id, TrialRequest request) {
    return view(ours.run(id, request.keyId(), request.way(), request.target()));
  }

  /** Begins a trial by a holder on their own machine. */
  @POST
  @Path("accounts/{id}/trials/here")
  public HolderTrialView beginTrial(UUID id, HolderTrialRequest request) {
    UUID asked = request.identityId();
    UUID key = request.keyId();
    trials.demandRight(id, key);
    HolderTrials.Begun begun = holders.begin(id, key, asked);
    return new HolderTrialView(
        begun.row().id,
        begun.login(),
        begun.host(),
        begun.port(),
        begun.knownHosts(),
        begun.key(),
        begun.challenge().map(challenge -> challenge.text).orElse(null),
        Challenge.Purpose.SIGN_IN.namespace());
  }

  /** Reports what a holder saw; comes back with the explanation. */
  @POST
  @Path("trials/{id}/seen")
  public TrialView reportTrial(UUID id, TrialReportRequest seen) {
    TrialRow begun = trials.trial(id);
    trials.demandRight(begun.accountId, begun.keyId);
    return view(
        holders.seen(
            id,
            Checks.given(seen.outcome(), "outcome"),
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

  /**
   * A trial as a text to be sent to the other side's administrator: what was tried, when, from
   * where, what both sides said, fingerprints and versions, and nothing secret.
   */
  @GET
  @Path("trials/{id}/support-text")
  @Produces(MediaType.TEXT_PLAIN)
  public String showSupportText(UUID id) {
    TrialRow row = trials.trial(id);
    trials.demandRight(row.accountId, row.keyId);
    return texts.of(id);
  }

  private static ClientSide client(TrialReportRequest seen) {
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
        why == null ? List.of() : why.causes().stream().map(TrialResource::cause).toList(),
        why == null ? List.of() : why.unknowns());
  }

  private static CauseView cause(TrialRow.Cause cause) {
    return new CauseView(
        cause.kind(), cause.certainty(), cause.sentence(), cause.evidence(), cause.remedy());
  }
}
