package tolvin.bench;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.fasterxml.jackson.databind.node.ArrayNode;
import com.fasterxml.jackson.databind.node.JsonNodeFactory;
import com.fasterxml.jackson.databind.node.ObjectNode;
import java.io.IOException;
import java.net.URLEncoder;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Queue;
import java.util.Random;
import java.util.Set;
import java.util.UUID;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.ConcurrentLinkedQueue;
import java.util.regex.Pattern;

/**
 * Makes requests from an OpenAPI document: addresses, parameters and bodies that fit what it says
 * of a call, and such that do not. Ids that answers brought lead to what is there.
 */
final class ApiRequests {
  private static final ObjectMapper JSON = new ObjectMapper();
  private static final JsonNodeFactory MAKE = JsonNodeFactory.instance;
  private static final int MOST_IDS = 400;
  private static final int DEEPEST = 6;

  /** Of the session that everything else rests on, or without an end. */
  private static final Set<String> LEFT_OUT =
      Set.of(
          "delete /api/v1/session",
          "put /api/v1/session/password",
          "delete /api/v1/sessions/{id}",
          "delete /api/v1/tokens/{id}",
          "post /api/v1/session",
          "post /api/v1/coffer/rewrap",
          "get /api/v1/events");

  private static final Pattern ID = Pattern.compile("\"(\\w*[iI]d)\":\"([0-9a-f-]{36})\"");

  /** What fields and parameters name. */
  private static final Map<String, String> WHOSE =
      Map.ofEntries(
          Map.entry("identityId", "identities"),
          Map.entry("identity", "identities"),
          Map.entry("accountId", "accounts"),
          Map.entry("account", "accounts"),
          Map.entry("destinationId", "destinations"),
          Map.entry("destination", "destinations"),
          Map.entry("hostId", "destinations"),
          Map.entry("routeId", "destinations"),
          Map.entry("signsInAtId", "destinations"),
          Map.entry("sheetId", "sheets"),
          Map.entry("keyId", "keys"),
          Map.entry("seatId", "seats"),
          Map.entry("findingId", "findings"));

  /** A key. */
  static final String KEY_LINE =
      "ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAIPQLrDHqrrW0KkPvHTVN7wb3CHA44cr8y8RZ5Ob9LyWM x";

  private static final String[] TEXTS = {
    KEY_LINE,
    "boats",
    "",
    " ",
    "a, \"b\"\nc",
    "'; drop table identity; --",
    "../../etc/passwd",
    "%00",
    "\u0000",
    "\u202e\ufeff\ud83d\udea2",
    "\ud800",
    "<script>alert(1)</script>",
    "=cmd|' /C calc'!A0",
    "{{7*7}}${7*7}",
    "SHA256:uNiVztksCsDhcc0u9e8BrqGLS3dGBzC4RN8BHWnsJ9k",
    "127.0.0.1",
    "http://127.0.0.1:1/",
    "jdbc:postgresql://127.0.0.1:1/x",
    "P1D",
    "PT5M",
    "Europe/Oslo",
    "9".repeat(400),
    "x".repeat(501),
    "(a+)+$"
  };

  private final JsonNode document;
  private final List<Call> calls = new ArrayList<>();
  private final Map<String, Queue<String>> ids = new ConcurrentHashMap<>();

  /**
   * A call of the document.
   *
   * @param said what the document says of it
   */
  record Call(String method, String path, JsonNode said) {
    @Override
    public String toString() {
      return method.toUpperCase() + " " + path;
    }
  }

  ApiRequests(JsonNode document) {
    this.document = document;
    document
        .get("paths")
        .properties()
        .forEach(
            path ->
                path.getValue()
                    .properties()
                    .forEach(
                        said -> {
                          String name = said.getKey() + " " + path.getKey();
                          boolean isCall = said.getValue().has("responses");
                          if (isCall && !LEFT_OUT.contains(name)) {
                            calls.add(new Call(said.getKey(), path.getKey(), said.getValue()));
                          }
                        }));
  }

  /** How many calls there are. */
  int count() {
    return calls.size();
  }

  Call any(Random random) {
    return calls.get(random.nextInt(calls.size()));
  }

  /** What the ids of a call's answers are ids of: the last word of its path. */
  private static String kind(String path) {
    String[] parts = path.replaceAll("/\\{.*?}", "").split("/");
    return parts[parts.length - 1];
  }

  /** Ids in an answer lead further. */
  void remember(String path, String text) {
    String kind = kind(path);
    var id = ID.matcher(text);
    while (id.find()) {
      String of = id.group(1).equals("id") ? kind : WHOSE.getOrDefault(id.group(1), kind);
      Queue<String> known = ids.computeIfAbsent(of, k -> new ConcurrentLinkedQueue<>());
      if (known.size() < MOST_IDS && !known.contains(id.group(2))) {
        known.add(id.group(2));
      }
    }
  }

  private String id(String kind, Random random) {
    Queue<String> ofKind = ids.get(random.nextInt(6) == 0 ? "keys" : kind);
    Object[] known = ofKind == null ? new Object[0] : ofKind.toArray();
    return known.length == 0 || random.nextInt(8) == 0
        ? new UUID(random.nextLong(), random.nextLong()).toString()
        : (String) known[random.nextInt(known.length)];
  }

  /** The address of a call, with parameters. */
  String address(Call call, Random random) {
    String path = call.path();
    StringBuilder query = new StringBuilder();
    for (JsonNode parameter : call.said().path("parameters")) {
      String name = parameter.path("name").asText();
      String before = call.path().replaceAll("/\\{" + name + "}.*", "");
      String value =
          parameter.path("schema").path("format").asText().equals("uuid") || name.equals("id")
              ? id(WHOSE.getOrDefault(name, kind(before)), random)
              : parameter(parameter.path("schema"), random);
      if (parameter.path("in").asText().equals("path")) {
        String shown = value.isBlank() || value.matches("\\.+") ? "x" : value;
        path = path.replace("{" + name + "}", encoded(shown));
      } else if (parameter.path("in").asText().equals("query") && random.nextBoolean()) {
        query.append(query.isEmpty() ? "?" : "&").append(name).append('=').append(encoded(value));
      }
    }
    return path.replaceAll("\\{.*?}", "x") + query;
  }

  private static String encoded(String value) {
    return URLEncoder.encode(value, StandardCharsets.UTF_8).replace("+", "%20");
  }

  private String parameter(JsonNode schema, Random random) {
    JsonNode value = value(schema, random, 0);
    return random.nextInt(4) == 0 || !value.isValueNode() ? text(random) : value.asText();
  }

  /** A body for a call, which fits it or does not. */
  byte[] body(Call call, Random random) throws IOException {
    JsonNode content = call.said().at("/requestBody/content");
    if (content.isMissingNode()) {
      return new byte[0];
    }
    if (content.has("application/octet-stream")) {
      byte[] bytes = new byte[random.nextInt(300)];
      random.nextBytes(bytes);
      return random.nextBoolean() ? text(random).getBytes(StandardCharsets.UTF_8) : bytes;
    }
    JsonNode body = value(content.at("/application~1json/schema"), random, 0);
    return switch (random.nextInt(10)) {
      case 0 -> JSON.writeValueAsBytes(mutated(body, random));
      case 1 -> JSON.writeValueAsBytes(mutated(mutated(body, random), random));
      case 2 -> cut(JSON.writeValueAsBytes(body), random);
      default -> JSON.writeValueAsBytes(body);
    };
  }

  private static byte[] cut(byte[] bytes, Random random) {
    return switch (random.nextInt(4)) {
      case 0 -> new byte[0];
      case 1 -> "null".getBytes(StandardCharsets.UTF_8);
      case 2 -> ("[".repeat(2000)).getBytes(StandardCharsets.UTF_8);
      default -> java.util.Arrays.copyOf(bytes, random.nextInt(bytes.length + 1));
    };
  }

  /** One place of it made into something else. */
  private JsonNode mutated(JsonNode node, Random random) {
    if (node instanceof ObjectNode object && !object.isEmpty() && random.nextInt(6) > 0) {
      List<String> names = new ArrayList<>();
      object.fieldNames().forEachRemaining(names::add);
      String name = names.get(random.nextInt(names.size()));
      switch (random.nextInt(6)) {
        case 0 -> object.remove(name);
        case 1 -> object.set("surplus", MAKE.textNode("x"));
        case 2 -> object.putNull(name);
        default -> object.set(name, mutated(object.get(name), random));
      }
      return object;
    }
    if (node instanceof ArrayNode array && !array.isEmpty() && random.nextBoolean()) {
      int at = random.nextInt(array.size());
      array.set(at, mutated(array.get(at), random));
      return array;
    }
    return switch (random.nextInt(8)) {
      case 0 -> MAKE.numberNode(Long.MAX_VALUE);
      case 1 -> MAKE.numberNode(-1);
      case 2 -> MAKE.booleanNode(true);
      case 3 -> MAKE.arrayNode().add(1);
      case 4 -> MAKE.objectNode().put("x", 1);
      case 5 -> MAKE.nullNode();
      case 6 -> MAKE.numberNode(1e300);
      default -> MAKE.textNode(text(random));
    };
  }

  private JsonNode value(JsonNode said, Random random, int depth) {
    JsonNode schema =
        said.has("$ref")
            ? document
                .at("/components/schemas")
                .get(said.get("$ref").asText().replaceAll(".*/", ""))
            : said;
    if (schema.has("enum")) {
      return schema.get("enum").get(random.nextInt(schema.get("enum").size()));
    }
    String type =
        schema.path("type").isArray()
            ? schema.path("type").get(0).asText()
            : schema.path("type").asText();
    return switch (type) {
      case "object" -> object(schema, random, depth);
      case "array" -> {
        ArrayNode items = MAKE.arrayNode();
        for (int i = random.nextInt(3); i > 0 && depth < DEEPEST; i--) {
          items.add(value(schema.path("items"), random, depth + 1));
        }
        yield items;
      }
      case "boolean" -> MAKE.booleanNode(random.nextBoolean());
      case "integer" -> MAKE.numberNode(random.nextInt(4) == 0 ? random.nextInt() : 1);
      case "number" -> MAKE.numberNode(random.nextDouble());
      default -> MAKE.textNode(formatted(schema.path("format").asText(), random));
    };
  }

  private ObjectNode object(JsonNode schema, Random random, int depth) {
    ObjectNode object = MAKE.objectNode();
    Set<String> required = ConcurrentHashMap.newKeySet();
    schema.path("required").forEach(name -> required.add(name.asText()));
    schema
        .path("properties")
        .properties()
        .forEach(
            field -> {
              if (required.contains(field.getKey()) || random.nextInt(3) > 0) {
                object.set(field.getKey(), named(field.getKey(), field.getValue(), random, depth));
              }
            });
    Optional.of(schema.path("additionalProperties"))
        .filter(JsonNode::isObject)
        .ifPresent(more -> object.set("more", value(more, random, depth + 1)));
    return object;
  }

  /** What would rarely come about by chance, so that requests get further. */
  private JsonNode named(String name, JsonNode schema, Random random, int depth) {
    if (WHOSE.containsKey(name)) {
      return MAKE.textNode(id(WHOSE.get(name), random));
    }
    if (random.nextInt(3) > 0) {
      switch (name) {
        case "line", "key", "text" -> {
          return MAKE.textNode(KEY_LINE);
        }
        case "host" -> {
          return MAKE.textNode("127.0.0.1");
        }
        case "port" -> {
          return MAKE.numberNode(1);
        }
        case "name", "login", "title", "reason", "team", "responsible", "owner" -> {
          return MAKE.textNode("n" + random.nextInt(100_000));
        }
        case "life", "propagation", "every", "expectedInterval", "longestSession" -> {
          return MAKE.textNode("PT" + (1 + random.nextInt(900)) + "M");
        }
        default -> {
          return value(schema, random, depth + 1);
        }
      }
    }
    return value(schema, random, depth + 1);
  }

  private String formatted(String format, Random random) {
    return switch (format) {
      case "uuid" -> id("keys", random);
      case "date-time" ->
          random.nextBoolean() ? "2030-03-01T11:00:00Z" : "+1000000-01-01T00:00:00Z";
      case "duration" -> "PT" + random.nextInt(5000) + "H";
      default -> text(random);
    };
  }

  private static String text(Random random) {
    return TEXTS[random.nextInt(TEXTS.length)];
  }
}
