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
import java.time.Instant;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import org.jboss.resteasy.reactive.RestResponse;
import tolvin.core.rulebook.Rule;
import tolvin.core.rulebook.RuleException;
import tolvin.core.rulebook.Rulebook;
import tolvin.core.rulebook.RulebookText;
import tolvin.core.rulebook.Verdict;
import tolvin.service.identity.IdentityStore;
import tolvin.service.people.Role;
import tolvin.service.web.Checks;
import tolvin.service.web.Page;
import tolvin.service.web.Problem;

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

  /** A rule as it is shown. */
  public record RuleView(
      int number,
      String name,
      String because,
      String otherwise,
      List<String> when,
      List<String> demands) {}

  /** An exception as it is shown. */
  public record ExceptionView(
      int rule, String key, String identity, String reason, String owner, Instant until) {}

  /** The rulebook in force. */
  public record RulebookView(
      int version,
      Instant since,
      String text,
      List<RuleView> rules,
      List<ExceptionView> exceptions,
      List<Cadence> cadences) {}

  /** A version of the rulebook in the list. */
  public record VersionView(
      int version, Instant since, Instant until, String savedBy, String reason, String ticket) {}

  /** A text to look at before it is saved. */
  public record RulebookDraft(String text) {}

  /** A text to save. */
  public record RulebookWish(String text, String reason, String ticket) {}

  /** A flaw in a text. */
  public record FlawView(int line, String sentence) {}

  /** What would change for one key or placement. */
  public record ChangeView(
      UUID keyId,
      String fingerprint,
      String identity,
      String account,
      String before,
      VerdictView after) {}

  /** How many verdicts would change from one outcome to another. */
  public record ChangeCount(String before, String after, long count) {}

  /**
   * What another rulebook would change.
   *
   * @param flaws why it cannot be taken; nothing else is there then
   * @param counts how many verdicts would change how
   * @param changes the first 200 of them, refusals first
   */
  public record Preview(List<FlawView> flaws, List<ChangeCount> counts, List<ChangeView> changes) {}

  /** An exception to add. */
  public record ExceptionWish(
      int rule, String key, String identity, String reason, String owner, String until) {}

  /**
   * A cadence to add. Durations are ISO 8601.
   *
   * @param number the number that it is quoted by
   * @param name whom it is for, in words
   * @param identityKind only for this kind, absent for all
   * @param identityId only for this identity, absent for all
   * @param every the longest life of a key
   * @param lead how long before the due date its rotation starts
   * @param watch how long an old key is watched at least before it goes
   */
  public record CadenceWish(
      int number,
      String name,
      String identityKind,
      UUID identityId,
      String every,
      String lead,
      String watch) {}

  /** A cadence as it is shown. */
  public record Cadence(
      int number,
      String name,
      String identityKind,
      String identity,
      Duration every,
      Duration lead,
      Duration watch) {}

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
  @Path("rulebook/preview")
  public Preview previewRulebook(RulebookDraft draft) {
    RulebookText.Parsed parsed = RulebookText.read(draft.text() == null ? "" : draft.text());
    if (parsed.rulebook().isEmpty()) {
      return new Preview(
          parsed.flaws().stream().map(f -> new FlawView(f.line(), f.sentence())).toList(),
          List.of(),
          List.of());
    }
    List<Judgements.Change> changes = judgements.changes(parsed.rulebook().get());
    Map<List<String>, Long> counts = new LinkedHashMap<>();
    for (Judgements.Change c : changes) {
      counts.merge(
          List.of(VerdictView.word(c.before().outcome()), VerdictView.word(c.after().outcome())),
          1L,
          Long::sum);
    }
    return new Preview(
        List.of(),
        counts.entrySet().stream()
            .map(e -> new ChangeCount(e.getKey().get(0), e.getKey().get(1), e.getValue()))
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
  @Path("rulebook")
  public RestResponse<RulebookView> saveRulebook(
      RulebookWish wish, @HeaderParam("If-Match") String match) {
    return tagged(rulebooks.save(wish.text(), version(match), wish.reason(), wish.ticket()));
  }

  /** Adds an exception to the rulebook in force. */
  @POST
  @Path("rulebook/exceptions")
  public RulebookView addException(ExceptionWish wish) {
    Map<String, String> entry = new LinkedHashMap<>();
    entry.put("rule", String.valueOf(wish.rule()));
    put(entry, "key", wish.key());
    put(entry, "identity", wish.identity());
    entry.put("reason", Checks.text(wish.reason(), "reason"));
    entry.put("owner", Checks.text(wish.owner(), "owner"));
    entry.put("until", Checks.text(wish.until(), "end"));
    return view(
        rulebooks.edit(
            "exceptions", entry, "exception from rule " + wish.rule() + ": " + wish.reason()));
  }

  /** The cadences in force. */
  @GET
  @Path("rules")
  public Page<Cadence> listCadences() {
    return new Page<>(view(rulebooks.current()).cadences(), null);
  }

  /** Adds a cadence to the rulebook in force. */
  @POST
  @Path("rules")
  public Cadence addCadence(CadenceWish wish) {
    Map<String, String> entry = new LinkedHashMap<>();
    entry.put("number", String.valueOf(wish.number()));
    entry.put("name", Checks.text(wish.name(), "name"));
    put(entry, "identity-kind", wish.identityKind());
    put(
        entry,
        "identity",
        wish.identityId() == null ? null : identities.get(wish.identityId()).name);
    entry.put("every", Checks.duration(wish.every(), "cadence", Duration.ZERO).toString());
    entry.put("lead", Checks.duration(wish.lead(), "lead time", Duration.ZERO).toString());
    entry.put("watch", Checks.duration(wish.watch(), "watch time", Duration.ZERO).toString());
    return view(rulebooks.edit("cadences", entry, "every " + wish.every() + " for " + wish.name()))
        .cadences()
        .stream()
        .filter(c -> c.number() == wish.number())
        .findFirst()
        .orElseThrow();
  }

  /** Takes a cadence out of force. */
  @DELETE
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
        VerdictView.word(c.before().outcome()),
        VerdictView.of(c.after()));
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
                    new Cadence(
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
