package tolvin.service.rulebook;

import jakarta.annotation.security.RolesAllowed;
import jakarta.ws.rs.DELETE;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.HeaderParam;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.PUT;
import jakarta.ws.rs.Path;
import jakarta.ws.rs.Produces;
import java.time.Duration;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.jboss.resteasy.reactive.RestResponse;
import tolvin.api.FlawView;
import tolvin.api.Page;
import tolvin.api.rulebook.CadenceRequest;
import tolvin.api.rulebook.CadenceView;
import tolvin.api.rulebook.ChangeCountView;
import tolvin.api.rulebook.ChangeView;
import tolvin.api.rulebook.ExceptionRequest;
import tolvin.api.rulebook.ExceptionView;
import tolvin.api.rulebook.PreviewView;
import tolvin.api.rulebook.RuleView;
import tolvin.api.rulebook.RulebookDraftRequest;
import tolvin.api.rulebook.RulebookRequest;
import tolvin.api.rulebook.RulebookView;
import tolvin.api.rulebook.VersionView;
import tolvin.core.people.TokenScope;
import tolvin.core.rulebook.Rule;
import tolvin.core.rulebook.RuleException;
import tolvin.core.rulebook.Rulebook;
import tolvin.core.rulebook.RulebookText;
import tolvin.core.rulebook.Verdict;
import tolvin.core.word.Words;
import tolvin.service.problem.Checks;
import tolvin.service.problem.Problem;
import tolvin.service.record.identity.IdentityStore;
import tolvin.service.web.Needs;
import tolvin.service.web.Role;

/** The rulebook. */
@Path("/api/v1")
@RolesAllowed(Role.ADMINISTRATOR)
public class RulebookResource {
  private static final int MOST_SHOWN = 200;

  private final Rulebooks rulebooks;
  private final Judgements judgements;
  private final IdentityStore identities;

  RulebookResource(Rulebooks rulebooks, Judgements judgements, IdentityStore identities) {
    this.rulebooks = rulebooks;
    this.judgements = judgements;
    this.identities = identities;
  }

  /** The rulebook in force; its ETag is its version. */
  @GET
  @Path("rulebook")
  public RestResponse<RulebookView> showRulebook() {
    return tagged(rulebooks.current());
  }

  /** The versions, the newest first. */
  @GET
  @Path("rulebook/versions")
  public Page<VersionView> listRulebookVersions() {
    return new Page<>(
        rulebooks.versions().stream()
            .map(
                r ->
                    new VersionView(
                        r.number, r.validFrom, r.validUntil, r.savedBy, r.reason, r.ticket))
            .toList(),
        null);
  }

  /** The text of one version. */
  @GET
  @Path("rulebook/versions/{number}")
  @Produces("application/yaml")
  public String showRulebookVersion(int number) {
    return rulebooks.version(number).text;
  }

  /** The JSON schema of the rulebook's text. */
  @GET
  @Path("rulebook/schema")
  @Produces("application/schema+json")
  public String showRulebookSchema() {
    return Rulebooks.resource("rulebook.schema.json");
  }

  /** What a text would change for the keys that exist. Saves nothing. */
  @POST
  @Needs(TokenScope.READ)
  @Path("rulebook/preview")
  public PreviewView previewRulebook(RulebookDraftRequest draft) {
    RulebookText.Parsed parsed = RulebookText.read(draft.text() == null ? "" : draft.text());
    if (parsed.rulebook().isEmpty()) {
      return new PreviewView(
          parsed.flaws().stream().map(f -> new FlawView(f.line(), f.sentence())).toList(),
          List.of(),
          List.of());
    }
    List<Judgements.Change> changes = judgements.changes(parsed.rulebook().get());
    Map<List<Verdict.Outcome>, Long> counts = new LinkedHashMap<>();
    for (Judgements.Change c : changes) {
      counts.merge(List.of(c.before().outcome(), c.after().outcome()), 1L, Long::sum);
    }
    return new PreviewView(
        List.of(),
        counts.entrySet().stream()
            .map(e -> new ChangeCountView(e.getKey().get(0), e.getKey().get(1), e.getValue()))
            .toList(),
        changes.stream()
            .sorted(
                java.util.Comparator.comparing(
                    (Judgements.Change c) -> c.after().outcome() != Verdict.Outcome.REFUSED))
            .limit(MOST_SHOWN)
            .map(RulebookResource::view)
            .toList());
  }

  /** Puts a text into force; If-Match names the version that it was made from. */
  @PUT
  @Needs(TokenScope.ADMINISTER)
  @Path("rulebook")
  public RestResponse<RulebookView> saveRulebook(
      RulebookRequest request, @HeaderParam("If-Match") String match) {
    return tagged(
        rulebooks.save(request.text(), version(match), request.reason(), request.ticket()));
  }

  /** Adds an exception to the rulebook in force. */
  @POST
  @Needs(TokenScope.ADMINISTER)
  @Path("rulebook/exceptions")
  public RulebookView addException(ExceptionRequest request) {
    Map<String, String> entry = new LinkedHashMap<>();
    entry.put("rule", String.valueOf(request.rule()));
    put(entry, "key", request.key());
    put(entry, "identity", request.identity());
    entry.put("reason", Checks.text(request.reason(), "reason"));
    entry.put("owner", Checks.text(request.owner(), "owner"));
    entry.put("until", Checks.text(request.until(), "end"));
    return view(
        rulebooks.edit(
            "exceptions",
            entry,
            "exception from rule " + request.rule() + ": " + request.reason()));
  }

  /** The cadences in force. */
  @GET
  @Path("rules")
  public Page<CadenceView> listCadences() {
    return new Page<>(view(rulebooks.current()).cadences(), null);
  }

  /** Adds a cadence to the rulebook in force. */
  @POST
  @Needs(TokenScope.ADMINISTER)
  @Path("rules")
  public CadenceView addCadence(CadenceRequest request) {
    Map<String, String> entry = new LinkedHashMap<>();
    entry.put("number", String.valueOf(request.number()));
    entry.put("name", Checks.text(request.name(), "name"));
    put(
        entry,
        "identity-kind",
        request.identityKind() == null ? null : Words.of(request.identityKind()));
    put(
        entry,
        "identity",
        request.identityId() == null ? null : identities.get(request.identityId()).name);
    entry.put("every", Checks.duration(request.every(), "cadence", Duration.ZERO).toString());
    entry.put("lead", Checks.duration(request.lead(), "lead time", Duration.ZERO).toString());
    entry.put("watch", Checks.duration(request.watch(), "watch time", Duration.ZERO).toString());
    return view(
            rulebooks.edit(
                "cadences", entry, "every " + request.every() + " for " + request.name()))
        .cadences()
        .stream()
        .filter(c -> c.number() == request.number())
        .findFirst()
        .orElseThrow();
  }

  /** Takes a cadence out of force. */
  @DELETE
  @Needs(TokenScope.ADMINISTER)
  @Path("rules/{number}")
  public void removeCadence(int number) {
    rulebooks.removeCadence(number);
  }

  private static void put(Map<String, String> entry, String name, String value) {
    if (value != null && !value.isBlank()) {
      entry.put(name, Checks.text(value, name));
    }
  }

  private static int version(String match) {
    try {
      return Integer.parseInt(match == null ? "" : match.replace("\"", "").strip());
    } catch (NumberFormatException no) {
      throw new Problem(
          428,
          "version-needed",
          "Version needed",
          "The version that the text was made from is missing.",
          "Send it in If-Match, as the rulebook's ETag gave it.");
    }
  }

  private static RestResponse<RulebookView> tagged(Rulebooks.Current current) {
    return RestResponse.ResponseBuilder.ok(view(current))
        .header("ETag", "\"" + current.number() + "\"")
        .build();
  }

  private static ChangeView view(Judgements.Change c) {
    return new ChangeView(
        c.key().id,
        c.key().fingerprint,
        c.identity(),
        c.account().orElse(null),
        c.before().outcome(),
        VerdictViews.of(c.after()));
  }

  private static RulebookView view(Rulebooks.Current current) {
    Rulebook book = current.rulebook();
    return new RulebookView(
        current.number(),
        current.since(),
        current.text(),
        book.rules().stream().map(RulebookResource::view).toList(),
        book.exceptions().stream().map(RulebookResource::view).toList(),
        book.cadences().stream()
            .map(
                c ->
                    new CadenceView(
                        c.number(),
                        c.name(),
                        c.identityKind().orElse(null),
                        c.identity().orElse(null),
                        c.every(),
                        c.lead(),
                        c.watch()))
            .toList());
  }

  private static RuleView view(Rule rule) {
    return new RuleView(
        rule.number(),
        rule.name(),
        rule.because(),
        rule.refuses() ? "refuse" : "warn",
        rule.when().words(),
        rule.demands().stream().map(d -> d.words()).toList());
  }

  private static ExceptionView view(RuleException e) {
    return new ExceptionView(
        e.rule(),
        e.key().orElse(null),
        e.identity().orElse(null),
        e.reason(),
        e.owner(),
        e.until());
  }
}
