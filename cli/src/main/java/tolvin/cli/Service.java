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

  private static final int WHOLE_ID = 36;
  private static final int SHORTEST_ID = 8;
  private final HttpClient http =
      HttpClient.newBuilder().connectTimeout(Duration.ofSeconds(5)).build();
  private static final String JSON_TYPE = "application/json";

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
    return read(bytes(path));
  }

  /** What a call answers, as it came. */
  byte[] bytes(String path) throws Refused {
    return send("GET", path, JSON_TYPE, new byte[0], null);
  }

  JsonNode post(String path, Map<String, ?> body) throws Refused {
    return read(send("POST", path, JSON_TYPE, written(body), null));
  }

  /** Posts, and gives back what comes as it is. */
  byte[] postForBytes(String path, Map<String, ?> body) throws Refused {
    return send("POST", path, JSON_TYPE, written(body), null);
  }

  /** Posts bytes as they are. */
  JsonNode postBytes(String path, byte[] content) throws Refused {
    return read(send("POST", path, "application/octet-stream", content, null));
  }

  /** Puts a new version in the place of the one that is named. */
  JsonNode put(String path, Map<String, ?> body, String version) throws Refused {
    return read(send("PUT", path, JSON_TYPE, written(body), version));
  }

  /** Changes parts of the version that is named. */
  JsonNode patch(String path, Map<String, ?> body, String version) throws Refused {
    return read(send("PATCH", path, JSON_TYPE, written(body), version));
  }

  void delete(String path) throws Refused {
    send("DELETE", path, JSON_TYPE, new byte[0], null);
  }

  private static byte[] written(Map<String, ?> body) throws Refused {
    try {
      return JSON.writeValueAsBytes(body);
    } catch (IOException e) {
      throw new Refused("This cannot be sent: " + e.getMessage());
    }
  }

  private static JsonNode read(byte[] answer) throws Refused {
    try {
      return answer.length == 0 ? JSON.nullNode() : JSON.readTree(answer);
    } catch (IOException e) {
      throw new Refused("The service's answer is not JSON: " + e.getMessage());
    }
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

  /**
   * The id of the one item of a list that begins with what a table showed of it.
   *
   * @param text an id, or its first characters, at least eight
   */
  String id(String path, String noun, String text) throws Refused {
    String begin = text.replace("…", "").strip();
    if (begin.length() == WHOLE_ID) {
      return begin;
    }
    String found = null;
    if (begin.length() >= SHORTEST_ID) {
      for (JsonNode item : all(path)) {
        String id = item.path("id").asText();
        if (id.startsWith(begin)) {
          if (found != null) {
            throw new Refused(
                "More than one " + noun + " begins with " + begin + ". Give more of it.");
          }
          found = id;
        }
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

  /** Sends a request, but never a private half. */
  private byte[] send(String method, String path, String type, byte[] bytes, String version)
      throws Refused {
    var secret = PrivateHalf.refuse(bytes);
    if (secret.isPresent()) {
      throw new Refused(secret.get().whole());
    }
    try {
      HttpRequest.Builder request =
          HttpRequest.newBuilder(URI.create(url + "/api/v1" + path))
              .timeout(Duration.ofMinutes(5))
              .header("Authorization", "Bearer " + token)
              .header("Content-Type", type)
              .method(method, HttpRequest.BodyPublishers.ofByteArray(bytes));
      if (version != null) {
        request.header("If-Match", '"' + version + '"');
      }
      HttpResponse<byte[]> response =
          http.send(request.build(), HttpResponse.BodyHandlers.ofByteArray());
      if (response.statusCode() >= 400) {
        JsonNode problem = read(response.body());
        throw new Refused(
            problem.path("detail").asText("The service answered " + response.statusCode() + ".")
                + " "
                + problem.path("wayOut").asText(""));
      }
      return response.body();
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
