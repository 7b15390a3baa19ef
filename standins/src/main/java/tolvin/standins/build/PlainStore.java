package tolvin.standins.build;

import java.io.IOException;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import tolvin.standins.http.Reply;
import tolvin.standins.http.Request;

/**
 * The build system's API as most have it, with one private key for each entry.
 *
 * <pre>
 * GET  /api/sealing-key            a JWK
 * GET  /api/credentials/NAME       {name, fingerprint, since}
 * PUT  /api/credentials/NAME       {sealed}
 * POST /api/jobs/JOB/runs          {run}
 * GET  /api/runs/RUN               {state: running, passed or failed}
 * GET  /api/runs/RUN/log           text
 * </pre>
 */
final class PlainStore implements BuildSystem.Dialect {
  private final String token;

  PlainStore(String token) {
    this.token = token;
  }

  @Override
  public Reply answer(BuildSystem system, Request request) throws IOException {
    if (!request.authorization().equals("Bearer " + token)) {
      return Reply.of(401, Map.of("message", "sign in first"));
    }
    List<String> path = request.path();
    if (request.is("GET", "/api/sealing-key")) {
      return Reply.of(200, system.sealingKey());
    }
    if (request.is("GET", "/api/credentials/*")) {
      List<Credential> there = system.of(path.get(2));
      return there.isEmpty()
          ? Reply.of(404, Map.of("message", "there is no such credential"))
          : Reply.of(
              200,
              Map.of(
                  "name", path.get(2),
                  "fingerprint", there.get(0).fingerprint,
                  "since", there.get(0).since));
    }
    if (request.is("PUT", "/api/credentials/*")) {
      return system.take(path.get(2), request.body().path("sealed").asText(), false).isPresent()
          ? Reply.of(204, null)
          : Reply.of(400, Map.of("message", "it cannot be opened with the sealing key"));
    }
    if (request.is("POST", "/api/jobs/*/runs") && system.knows(path.get(2))) {
      return Reply.of(201, Map.of("run", system.run(path.get(2))));
    }
    if (request.is("GET", "/api/runs/*") || request.is("GET", "/api/runs/*/log")) {
      Optional<BuildSystem.Run> run = system.runNumbered(path.get(2));
      if (run.isPresent()) {
        return path.size() == 4
            ? Reply.of(200, run.get().log)
            : Reply.of(200, Map.of("state", run.get().state));
      }
    }
    return Reply.of(404, Map.of("message", "there is nothing here"));
  }
}
