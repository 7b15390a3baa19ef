package tolvin.standins.codehost;

import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.time.Instant;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import tolvin.standins.http.Reply;
import tolvin.standins.http.Request;

/**
 * The code host's API as most have it: a path for each holder, a token, pages by number, errors as
 * status 422 with a code.
 *
 * <pre>
 * GET    /api/token                                 until when the token is good
 * GET    /api/people/LOGIN/keys?page=N              a page of keys
 * POST   /api/people/LOGIN/keys                     {title, key, purpose, ends}
 * DELETE /api/people/LOGIN/keys/NUMBER
 * GET, POST, DELETE /api/repositories/OWNER%2FNAME/keys…   the same, with {write}
 * </pre>
 */
final class PlainDialect implements CodeHost.Dialect {
  private static final int PAGE = 2;

  private final String token;
  private final Instant until = Instant.now().plus(90, ChronoUnit.DAYS);

  PlainDialect(String token) {
    this.token = token;
  }

  @Override
  public Reply answer(CodeHost host, Request request) throws IOException {
    if (!request.authorization().equals("Bearer " + token)) {
      return error(401, "unknown_token");
    }
    if (request.is("GET", "/api/token")) {
      return Reply.of(200, Map.of("user", "key-keeper", "ends", until.toString()));
    }
    List<String> path = request.path();
    if (path.size() < 4 || !path.get(0).equals("api") || !path.get(3).equals("keys")) {
      return error(404, "not_found");
    }
    boolean person = path.get(1).equals("people");
    String holder = (person ? "person:" : "repository:") + path.get(2);
    if (!host.knows(holder)) {
      return error(404, "not_found");
    }
    if (path.size() == 5 && request.method().equals("DELETE")) {
      boolean gone =
          path.get(4).matches("\\d{1,9}") && host.remove(holder, Integer.parseInt(path.get(4)));
      return gone ? Reply.of(204, null) : error(404, "not_found");
    }
    return switch (request.method()) {
      case "GET" -> list(host, holder, person, request.query().getOrDefault("page", "1"));
      case "POST" -> add(host, holder, person, request.body());
      default -> error(405, "no_such_method");
    };
  }

  private static Reply list(CodeHost host, String holder, boolean person, String number)
      throws IOException {
    int page = number.matches("\\d{1,6}") ? Integer.parseInt(number) : 1;
    List<HostedKey> all = host.of(holder);
    int from = Math.min(all.size(), (page - 1) * PAGE);
    int to = Math.min(all.size(), page * PAGE);
    Map<Integer, Instant> uses = host.uses();
    List<Object> shown = new ArrayList<>();
    for (HostedKey key : all.subList(from, to)) {
      Map<String, Object> one = new LinkedHashMap<>();
      one.put("id", key.number);
      one.put("title", key.title);
      one.put("key", key.line);
      one.put("added", key.added);
      Instant used = uses.get(key.number);
      one.put("last_used", used == null ? null : used.toString());
      one.put("ends", key.ends);
      if (person) {
        one.put("purpose", key.purpose);
      } else {
        one.put("write", key.access.equals("write"));
      }
      shown.add(one);
    }
    Map<String, Object> body = new LinkedHashMap<>();
    body.put("keys", shown);
    body.put("next_page", to < all.size() ? page + 1 : null);
    return Reply.of(200, body);
  }

  private static Reply add(CodeHost host, String holder, boolean person, JsonNode body) {
    String purpose = person ? body.path("purpose").asText("sign-in") : "sign-in";
    boolean write = person || body.path("write").asBoolean(false);
    if (body.path("title").asText().isBlank()) {
      return error(422, "title_missing");
    }
    try {
      HostedKey added =
          host.add(
              holder,
              body.path("title").asText(),
              body.path("key").asText(),
              purpose,
              write ? "write" : "read",
              body.path("ends").asText(null));
      return Reply.of(201, Map.of("id", added.number));
    } catch (CodeHost.Refusal e) {
      return error(422, e.code());
    }
  }

  private static Reply error(int status, String code) {
    return Reply.of(status, Map.of("error", Map.of("code", code)));
  }
}
