package tolvin.standins.build;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import java.io.IOException;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.time.Instant;
import java.util.UUID;
import tolvin.core.key.RefusedException;
import tolvin.core.pair.OpenSshFile;
import tolvin.core.pair.SecretPair;
import tolvin.core.pair.SigningException;
import tolvin.core.proof.SignedAssertion;

/** What a job does at a warehouse: signs in by an assertion (RFC 7523), and asks something. */
final class WarehouseLoad {
  private static final ObjectMapper JSON = new ObjectMapper();

  private WarehouseLoad() {}

  /** What it says in the job's log; begins with Loaded if it went well. */
  static String run(BuildSystem.Load load, Path privateFile)
      throws IOException, InterruptedException {
    HttpClient http = HttpClient.newHttpClient();
    String assertion;
    try (SecretPair pair =
        OpenSshFile.read(Files.readAllBytes(privateFile))
            .open(null, new byte[0])
            .pair()
            .orElseThrow()) {
      assertion =
          SignedAssertion.make(
              pair,
              new SignedAssertion.Claims(
                  load.account(),
                  load.account(),
                  load.tokenEndpoint(),
                  pair.key().fingerprintText(),
                  Instant.now(),
                  Duration.ofMinutes(1),
                  UUID.randomUUID().toString()));
    } catch (RefusedException | SigningException e) {
      return "The private key cannot be used: " + e.getMessage() + "\n";
    }
    HttpResponse<String> token =
        http.send(
            HttpRequest.newBuilder(URI.create(load.tokenEndpoint()))
                .header("Content-Type", "application/x-www-form-urlencoded")
                .POST(
                    HttpRequest.BodyPublishers.ofString(
                        "grant_type=urn%3Aietf%3Aparams%3Aoauth%3Agrant-type%3Ajwt-bearer&assertion="
                            + assertion))
                .build(),
            HttpResponse.BodyHandlers.ofString());
    JsonNode given = JSON.readTree(token.body());
    if (token.statusCode() != 200) {
      return "The warehouse did not let " + load.account() + " in: " + token.body() + "\n";
    }
    HttpResponse<String> rows =
        http.send(
            HttpRequest.newBuilder(URI.create(load.tokenEndpoint()).resolve("/query"))
                .header("Authorization", "Bearer " + given.path("access_token").asText())
                .header("Content-Type", "application/json")
                .POST(
                    HttpRequest.BodyPublishers.ofString(
                        "{\"statement\":\"select quay, boat, departs from departure\"}"))
                .build(),
            HttpResponse.BodyHandlers.ofString());
    return rows.statusCode() == 200
        ? "Loaded " + JSON.readTree(rows.body()).path("rows").size() + " departures.\n"
        : "The query failed: " + rows.body() + "\n";
  }
}
