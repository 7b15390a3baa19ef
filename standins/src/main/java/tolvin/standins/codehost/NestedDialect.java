package tolvin.standins.codehost;

import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Base64;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import tolvin.standins.http.Reply;
import tolvin.standins.http.Request;

/**
 * The code host's API in quite another shape: one collection for all holders, an access token from
 * a token endpoint (RFC 6749 section 4.4), pages counted by elements, changes as jobs that take a
 * while, and refusals that come with status 200.
 *
 * <pre>
 * POST /rest/token                                    client credentials
 * GET  /rest/credentials?holder=H&amp;from=N            {result: {rows: [{ref, meta, material}]}}
 * POST /rest/credentials                              {holder, meta, material} → {result: {job}}
 * POST /rest/credentials/REF/retire                   → {result: {job}}
 * GET  /rest/jobs/JOB                                 {result: {phase, fault: {reason}}}
 * </pre>
 */
final class NestedDialect implements CodeHost.Dialect {
  private static final int PAGE = 2;
  private static final String CLIENT = "key-keeper";

  private final String secret;
  private final Map<String, Job> jobs = new ConcurrentHashMap<>();
  private final Map<String, Instant> tokens = new ConcurrentHashMap<>();

  NestedDialect(String secret) {
    this.secret = secret;
  }

  /** A change that takes a while: it is shown as running for two looks. */
  private static final class Job {
    private int looks;
    private String reason = "";
  }

  @Override
  public Reply answer(CodeHost host, Request request) throws IOException {
    if (request.is("POST", "/rest/token")) {
      return token(request);
    }
    String token = request.authorization().replaceFirst("^Bearer ", "");
    Instant until = tokens.get(token);
    if (until == null || !Instant.now().isBefore(until)) {
      return fault(401, "TOKEN");
    }
    if (request.is("GET", "/rest/me")) {
      return Reply.of(200, Map.of("result", Map.of("client", CLIENT)));
    }
    if (request.is("GET", "/rest/credentials")) {
      return list(host, request);
    }
    if (request.is("POST", "/rest/credentials")) {
      return add(host, request.body());
    }
    if (request.is("POST", "/rest/credentials/*/retire")) {
      String reference = request.path().get(2);
      int number = reference.matches("c-\\d{1,9}") ? Integer.parseInt(reference.substring(2)) : 0;
      boolean gone = host.remove(host.holder(number), number);
      return gone ? job("") : fault(200, "ABSENT");
    }
    if (request.is("GET", "/rest/jobs/*")) {
      Job job = jobs.get(request.path().get(2));
      return job == null ? fault(404, "ABSENT") : phase(job);
    }
    return fault(404, "ABSENT");
  }

  private Reply token(Request request) {
    String basic =
        Base64.getEncoder()
            .encodeToString((CLIENT + ":" + secret).getBytes(StandardCharsets.UTF_8));
    if (!request.authorization().equals("Basic " + basic)
        || !request.body().path("grant_type").asText().equals("client_credentials")) {
      return Reply.of(401, Map.of("error", "invalid_client"));
    }
    String token = "t" + tokens.size() + "." + Integer.toHexString(secret.hashCode());
    tokens.put(token, Instant.now().plusSeconds(30));
    return Reply.of(200, Map.of("access_token", token, "token_type", "Bearer", "expires_in", 30));
  }

  private static Reply list(CodeHost host, Request request) throws IOException {
    String holder = request.query().getOrDefault("holder", "");
    if (!host.knows(holder)) {
      return fault(200, "NO_HOLDER");
    }
    String start = request.query().getOrDefault("from", "0");
    List<HostedKey> all = host.of(holder);
    int from = Math.min(all.size(), start.matches("\\d{1,6}") ? Integer.parseInt(start) : 0);
    Map<Integer, Instant> uses = host.uses();
    List<Object> rows = new ArrayList<>();
    for (HostedKey key : all.subList(from, Math.min(all.size(), from + PAGE))) {
      Map<String, Object> meta = new LinkedHashMap<>();
      meta.put("label", key.title);
      meta.put("usage", key.purpose.equals("signing") ? "SIGN" : "AUTH");
      meta.put("mode", key.access.equals("read") ? "RO" : "RW");
      meta.put("created", Instant.parse(key.added).getEpochSecond());
      Instant used = uses.get(key.number);
      meta.put("seen", used == null ? null : used.getEpochSecond());
      String[] words = key.line.split(" ");
      rows.add(
          Map.of(
              "ref",
              "c-" + key.number,
              "meta",
              meta,
              "material",
              Map.of("algorithm", words[0], "body", words[1])));
    }
    return Reply.of(200, Map.of("result", Map.of("rows", rows)));
  }

  private Reply add(CodeHost host, JsonNode body) {
    String holder = body.path("holder").asText();
    if (!host.knows(holder)) {
      return fault(200, "NO_HOLDER");
    }
    JsonNode meta = body.path("meta");
    JsonNode material = body.path("material");
    try {
      host.add(
          holder,
          meta.path("label").asText(),
          material.path("algorithm").asText() + " " + material.path("body").asText(),
          meta.path("usage").asText().equals("SIGN") ? "signing" : "sign-in",
          meta.path("mode").asText().equals("RO") ? "read" : "write",
          null);
      return job("");
    } catch (CodeHost.Refusal e) {
      return job(
          switch (e.code()) {
            case "key_in_use" -> "DUPLICATE";
            case "title_in_use" -> "LABEL";
            case "too_many_keys" -> "LIMIT";
            case "type_not_allowed" -> "ALGORITHM";
            default -> "MATERIAL";
          });
    }
  }

  private Reply job(String reason) {
    String name = "j-" + jobs.size();
    Job job = new Job();
    job.reason = reason;
    jobs.put(name, job);
    return Reply.of(200, Map.of("result", Map.of("job", name)));
  }

  private static Reply phase(Job job) {
    if (job.looks++ < 2) {
      return Reply.of(200, Map.of("result", Map.of("phase", "RUNNING")));
    }
    return job.reason.isEmpty()
        ? Reply.of(200, Map.of("result", Map.of("phase", "FINISHED")))
        : fault(200, job.reason);
  }

  private static Reply fault(int status, String reason) {
    return Reply.of(status, Map.of("fault", Map.of("reason", reason)));
  }
}
