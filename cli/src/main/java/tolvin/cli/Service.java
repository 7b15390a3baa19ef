package tolvin.cli;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.fasterxml.jackson.databind.node.ArrayNode;
import java.io.IOException;
import java.net.ConnectException;
import java.net.URI;
import java.net.URLEncoder;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.Map;
import java.util.Properties;
import tolvin.core.key.PrivateHalf;

/** The service's HTTP API. What it does is described by the OpenAPI document. */
final class Service {
  static final ObjectMapper JSON = new ObjectMapper();

  private final HttpClient http =
      HttpClient.newBuilder().connectTimeout(Duration.ofSeconds(5)).build();
  private final String url;
  private final String token;

  private Service(String url, String token) {
    this.url = url;
    this.token = token;
  }

  /** The service that the environment, or the start command's file, names. */
  static Service open() throws Refused {
    String url = System.getenv("TOLVIN_URL");
    String token = System.getenv("TOLVIN_TOKEN");
    Path file = Path.of(System.getProperty("tolvin.client", "client.properties"));
    if ((url == null || token == null) && Files.exists(file)) {
      Properties properties = new Properties();
      try (var in = Files.newInputStream(file)) {
        properties.load(in);
      } catch (IOException e) {
        throw new Refused(file + " cannot be read: " + e.getMessage());
      }
      url = url == null ? properties.getProperty("url") : url;
      token = token == null ? properties.getProperty("token") : token;
    }
    if (url == null || token == null) {
      throw new Refused(
          "No service is known. Start one with ./start, or set TOLVIN_URL and TOLVIN_TOKEN.");
    }
    return new Service(url, token);
  }

  JsonNode get(String path) throws Refused {
    return send("GET", path, null);
  }

  JsonNode post(String path, Map<String, ?> body) throws Refused {
    return send("POST", path, body);
  }

  void delete(String path) throws Refused {
    send("DELETE", path, null);
  }

  /** All items of a list, page after page. */
  ArrayNode all(String path) throws Refused {
    ArrayNode items = JSON.createArrayNode();
    String next = null;
    do {
      String separator = path.contains("?") ? "&" : "?";
      JsonNode page = get(next == null ? path : path + separator + "after=" + next);
      items.addAll((ArrayNode) page.get("items"));
      next = page.hasNonNull("next") ? page.get("next").asText() : null;
    } while (next != null);
    return items;
  }

  /** The one item of a list that a text names, by its id or one of some fields. */
  JsonNode one(String path, String noun, String text, String... fields) throws Refused {
    JsonNode found = null;
    for (JsonNode item : all(path)) {
      if (item.path("id").asText().equals(text)) {
        return item;
      }
      for (String field : fields) {
        String value = item.path(field).asText();
        boolean same = value.equals(text) || field.equals("fingerprint") && isPart(value, text);
        if (same && found != null && found != item) {
          throw new Refused("More than one " + noun + " fits “" + text + "”. Give its id.");
        }
        found = same ? item : found;
      }
    }
    if (found == null) {
      throw new Refused("There is no " + noun + " “" + text + "”. List the " + noun + "s to see.");
    }
    return found;
  }

  private static boolean isPart(String fingerprint, String text) {
    return text.length() >= 6
        && (fingerprint.startsWith(text) || fingerprint.startsWith("SHA256:" + text));
  }

  static String query(String value) {
    return URLEncoder.encode(value, StandardCharsets.UTF_8);
  }

  private JsonNode send(String method, String path, Map<String, ?> body) throws Refused {
    try {
      byte[] bytes = body == null ? new byte[0] : JSON.writeValueAsBytes(body);
      var secret = PrivateHalf.refuse(bytes);
      if (secret.isPresent()) {
        throw new Refused(secret.get().whole());
      }
      HttpResponse<byte[]> response =
          http.send(
              HttpRequest.newBuilder(URI.create(url + "/api/v1" + path))
                  .timeout(Duration.ofSeconds(60))
                  .header("Authorization", "Bearer " + token)
                  .header("Content-Type", "application/json")
                  .method(method, HttpRequest.BodyPublishers.ofByteArray(bytes))
                  .build(),
              HttpResponse.BodyHandlers.ofByteArray());
      JsonNode answer =
          response.body().length == 0 ? JSON.nullNode() : JSON.readTree(response.body());
      if (response.statusCode() >= 400) {
        throw new Refused(
            answer.path("detail").asText("The service answered " + response.statusCode() + ".")
                + " "
                + answer.path("wayOut").asText(""));
      }
      return answer;
    } catch (ConnectException e) {
      throw new Refused("The service at " + url + " does not answer. Start it with ./start.");
    } catch (IOException e) {
      throw new Refused("The service at " + url + " could not be asked: " + e.getMessage());
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new Refused("Interrupted.");
    }
  }
}
