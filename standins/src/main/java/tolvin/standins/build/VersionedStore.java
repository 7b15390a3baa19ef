package tolvin.standins.build;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Base64;
import java.util.HexFormat;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import tolvin.standins.http.Reply;
import tolvin.standins.http.Request;

/**
 * The build system's API in another shape: versions of each entry, fingerprints in hexadecimal,
 * user and password.
 *
 * <pre>
 * GET    /v3/vault-key                           {vault: {jwk}}
 * GET    /v3/vault/NAME                          {versions: [{thumb, active}]}
 * POST   /v3/vault/NAME/versions                 {jwe}
 * POST   /v3/vault/NAME/versions/THUMB/activate
 * DELETE /v3/vault/NAME/versions/THUMB
 * POST   /v3/pipelines/JOB/start                 {execution: {number}}
 * GET    /v3/executions/NUMBER                   {execution: {status, output}}
 * </pre>
 */
final class VersionedStore implements BuildSystem.Dialect {
  private static final String USER = "tolvin";

  private final String password;

  VersionedStore(String password) {
    this.password = password;
  }

  @Override
  public Reply answer(BuildSystem system, Request request) throws IOException {
    String pair =
        Base64.getEncoder()
            .encodeToString((USER + ":" + password).getBytes(StandardCharsets.UTF_8));
    if (!request.authorization().equals("Basic " + pair)) {
      return Reply.of(401, Map.of("problem", "credentials"));
    }
    List<String> path = request.path();
    if (request.is("GET", "/v3/vault-key")) {
      return Reply.of(200, Map.of("vault", Map.of("jwk", system.sealingKey())));
    }
    if (request.is("GET", "/v3/vault/*")) {
      List<Object> versions = new ArrayList<>();
      system
          .of(path.get(2))
          .forEach(
              c -> {
                Map<String, Object> one = new LinkedHashMap<>();
                one.put("thumb", thumb(c.fingerprint));
                one.put("active", c.current);
                versions.add(one);
              });
      return Reply.of(200, Map.of("versions", versions));
    }
    if (request.is("POST", "/v3/vault/*/versions")) {
      return system.take(path.get(2), request.body().path("jwe").asText(), true).isPresent()
          ? Reply.of(201, Map.of())
          : Reply.of(422, Map.of("problem", "not sealed to the vault's key"));
    }
    if (request.is("POST", "/v3/vault/*/versions/*/activate")) {
      return system.use(path.get(2), fingerprint(path.get(4)))
          ? Reply.of(200, Map.of())
          : Reply.of(404, Map.of("problem", "no such version"));
    }
    if (request.is("DELETE", "/v3/vault/*/versions/*")) {
      return system.drop(path.get(2), fingerprint(path.get(4)))
          ? Reply.of(200, Map.of())
          : Reply.of(404, Map.of("problem", "no such version"));
    }
    if (request.is("POST", "/v3/pipelines/*/start") && system.knows(path.get(2))) {
      return Reply.of(200, Map.of("execution", Map.of("number", system.run(path.get(2)))));
    }
    if (request.is("GET", "/v3/executions/*")) {
      Optional<BuildSystem.Run> run = system.runNumbered(path.get(2));
      if (run.isPresent()) {
        String status =
            switch (run.get().state) {
              case "passed" -> "SUCCEEDED";
              case "failed" -> "BROKEN";
              default -> "WORKING";
            };
        return Reply.of(
            200, Map.of("execution", Map.of("status", status, "output", run.get().log)));
      }
    }
    return Reply.of(404, Map.of("problem", "nothing here"));
  }

  private static String thumb(String fingerprint) {
    byte[] bytes = Base64.getDecoder().decode(fingerprint.substring(7));
    return HexFormat.of().formatHex(bytes);
  }

  private static String fingerprint(String thumb) {
    return thumb.matches("[0-9a-f]{64}")
        ? "SHA256:"
            + Base64.getEncoder().withoutPadding().encodeToString(HexFormat.of().parseHex(thumb))
        : "";
  }
}
