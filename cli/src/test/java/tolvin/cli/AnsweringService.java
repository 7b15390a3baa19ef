package tolvin.cli;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.fasterxml.jackson.databind.node.JsonNodeFactory;
import com.fasterxml.jackson.databind.node.ObjectNode;
import com.sun.net.httpserver.HttpExchange;
import com.sun.net.httpserver.HttpServer;
import java.io.IOException;
import java.net.InetSocketAddress;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import tolvin.api.contract.OpenApiDocument;

/**
 * Stands in for the service: it answers whatever the OpenAPI document allows, chosen by a seed, and
 * notes what the client sent that the document does not allow. All ids are the same, all numbers 1.
 */
final class AnsweringService implements AutoCloseable {
  static final String ID = "00000000-0000-4000-8000-000000000001";
  private static final ObjectMapper JSON = new ObjectMapper();

  private final OpenApiDocument document;
  private final HttpServer server;
  private final List<String> wrong = new ArrayList<>();
  private Random random = new Random(0);

  AnsweringService() throws IOException {
    document =
        new OpenApiDocument(
            JSON.readTree(
                Path.of(System.getProperty("tolvin.root"), "console/openapi.json").toFile()));
    server = HttpServer.create(new InetSocketAddress("127.0.0.1", 0), 0);
    server.createContext("/", this::answer);
    server.start();
  }

  /** The file that tells the client where the service is. */
  Path clientFile(Path directory) throws IOException {
    return Files.writeString(
        directory.resolve("client.properties"),
        "url=http://127.0.0.1:" + server.getAddress().getPort() + "\ntoken=made-up\n");
  }

  void begin(long seed) {
    random = new Random(seed);
    wrong.clear();
  }

  /** What the client asked or sent that the document does not know. */
  List<String> wrong() {
    return List.copyOf(wrong);
  }

  private void answer(HttpExchange exchange) throws IOException {
    String method = exchange.getRequestMethod().toLowerCase(Locale.ROOT);
    String path = exchange.getRequestURI().getPath();
    byte[] sent = exchange.getRequestBody().readAllBytes();
    byte[] answer = new byte[0];
    try {
      Optional<JsonNode> call = document.call(method, path);
      if (call.isEmpty()) {
        wrong.add("no such call: " + method + " " + path);
      } else {
        check(method + " " + path, call.get(), sent);
        Optional<JsonNode> schema = OpenApiDocument.body(call.get().at("/responses/200"));
        answer = schema.isEmpty() ? answer : JSON.writeValueAsBytes(instance(schema.get()));
      }
    } catch (RuntimeException e) {
      wrong.add(method + " " + path + ": " + e);
    }
    exchange.sendResponseHeaders(200, answer.length == 0 ? -1 : answer.length);
    try (exchange;
        var out = exchange.getResponseBody()) {
      out.write(answer);
    }
  }

  private void check(String call, JsonNode operation, byte[] sent) throws IOException {
    Optional<JsonNode> said = OpenApiDocument.body(operation.path("requestBody"));
    if (said.isPresent() && sent.length > 0) {
      for (String message : document.wrong(said.get(), JSON.readTree(sent))) {
        wrong.add(call + ": " + message);
      }
    }
  }

  private JsonNode instance(JsonNode said) {
    JsonNodeFactory make = JsonNodeFactory.instance;
    JsonNode schema = document.resolved(said);
    if (schema.has("enum")) {
      return schema.get("enum").get(random.nextInt(schema.get("enum").size()));
    }
    return switch (schema.path("type").asText()) {
      case "object" -> object(schema);
      case "array" -> {
        var items = make.arrayNode();
        for (int i = random.nextInt(3); i >= 0; i--) {
          items.add(instance(schema.get("items")));
        }
        yield items;
      }
      case "boolean" -> make.booleanNode(random.nextBoolean());
      case "integer" -> make.numberNode(1);
      case "number" -> make.numberNode(1.5);
      default -> make.textNode(text(schema.path("format").asText()));
    };
  }

  private ObjectNode object(JsonNode schema) {
    ObjectNode object = JsonNodeFactory.instance.objectNode();
    List<String> required = new ArrayList<>();
    schema.path("required").forEach(name -> required.add(name.asText()));
    for (Map.Entry<String, JsonNode> field : schema.path("properties").properties()) {
      boolean endless = field.getKey().equals("next");
      if (required.contains(field.getKey()) || !endless && random.nextBoolean()) {
        object.set(field.getKey(), instance(field.getValue()));
      }
    }
    return object;
  }

  private String text(String format) {
    return switch (format) {
      case "uuid" -> ID;
      case "date-time" -> "2030-03-01T11:00:00.123456Z";
      case "duration" -> "PT2160H";
      default -> random.nextBoolean() ? "boats" : "a, \"b\"\nc";
    };
  }

  @Override
  public void close() {
    server.stop(0);
  }
}
