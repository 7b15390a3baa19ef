package tolvin.standins.http;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.fasterxml.jackson.databind.node.ObjectNode;
import com.sun.net.httpserver.HttpExchange;
import com.sun.net.httpserver.HttpServer;
import java.io.IOException;
import java.io.OutputStream;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.net.URLDecoder;
import java.nio.charset.StandardCharsets;
import java.time.Clock;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.TimeUnit;
import tolvin.standins.http.Weather.Fault;

/** An HTTP server on loopback with JSON in and out, and with weather. */
public final class HttpDoor implements AutoCloseable {
  private static final ObjectMapper JSON = new ObjectMapper();
  private static final int LARGEST = 1 << 20;

  private final HttpServer server;
  private final ExecutorService threads = Executors.newCachedThreadPool();
  private final Weather weather = new Weather();
  private final Answering answering;
  private volatile Clock clock = Clock.systemUTC();

  /** What a system answers. */
  @FunctionalInterface
  public interface Answering {
    /** Answers a request. */
    Reply answer(Request request) throws IOException;
  }

  private HttpDoor(HttpServer server, Answering answering) {
    this.server = server;
    this.answering = answering;
  }

  /** Opens it on a port of loopback; 0 for a free one. */
  public static HttpDoor open(int port, Answering answering) throws IOException {
    HttpServer server =
        HttpServer.create(new InetSocketAddress(InetAddress.getLoopbackAddress(), port), 0);
    HttpDoor door = new HttpDoor(server, answering);
    server.setExecutor(door.threads);
    server.createContext("/", door::answer);
    server.start();
    return door;
  }

  /** Its weather. */
  public Weather weather() {
    return weather;
  }

  /** Tells the time by another clock. */
  public void clock(Clock other) {
    clock = other;
  }

  /** The time it tells. */
  public Clock clock() {
    return clock;
  }

  /** Its address, without a slash at the end. */
  public String url() {
    return "http://127.0.0.1:" + server.getAddress().getPort();
  }

  private void answer(HttpExchange exchange) throws IOException {
    try (exchange) {
      Request request = request(exchange);
      Fault fault = weather.next(!request.method().equals("GET"));
      if (before(exchange, fault)) {
        return;
      }
      Reply reply;
      try {
        reply =
            fault == Fault.PRETEND ? Reply.of(200, Map.of("id", "0")) : answering.answer(request);
      } catch (RuntimeException wrong) {
        reply = Reply.of(500, Map.of("message", String.valueOf(wrong)));
      }
      if (fault == Fault.CUT_AFTER) {
        return;
      }
      send(exchange, fault == Fault.ERROR_AFTER ? Reply.of(500, Map.of()) : reply, fault);
    }
  }

  /** Whether the weather alone is the answer. */
  private boolean before(HttpExchange exchange, Fault fault) throws IOException {
    switch (fault) {
      case CUT -> {
        return true;
      }
      case SLOW -> {
        try {
          TimeUnit.SECONDS.sleep(6);
        } catch (InterruptedException e) {
          Thread.currentThread().interrupt();
        }
        return true;
      }
      case BUSY -> send(exchange, new Reply(429, Map.of(), Map.of("Retry-After", "0")), fault);
      case BUSY_UNTOLD -> send(exchange, Reply.of(429, Map.of()), fault);
      case BUSY_FOR_LONG ->
          send(exchange, new Reply(429, Map.of(), Map.of("Retry-After", "3600")), fault);
      case ERROR -> send(exchange, Reply.of(500, Map.of("message", "internal")), fault);
      case DOWN -> send(exchange, new Reply(503, Map.of(), Map.of("Retry-After", "1")), fault);
      case HTML ->
          send(exchange, Reply.of(200, "<html><title>Please sign in</title></html>"), fault);
      case HUGE -> huge(exchange);
      case REDIRECT ->
          send(exchange, new Reply(302, null, Map.of("Location", "http://127.0.0.2/")), fault);
      case UNKNOWN_SECRET -> send(exchange, Reply.of(401, Map.of()), fault);
      default -> {
        return false;
      }
    }
    return true;
  }

  private static void huge(HttpExchange exchange) throws IOException {
    exchange.sendResponseHeaders(200, 0);
    byte[] part = "[1234567890,1234567890,1234567890,1234567890]".repeat(1000).getBytes();
    try (OutputStream out = exchange.getResponseBody()) {
      for (int i = 0; i < 2000; i++) {
        out.write(part);
      }
    }
  }

  private void send(HttpExchange exchange, Reply reply, Fault fault) throws IOException {
    boolean text = reply.body() instanceof String;
    byte[] bytes =
        reply.body() == null
            ? new byte[0]
            : text
                ? ((String) reply.body()).getBytes(StandardCharsets.UTF_8)
                : JSON.writeValueAsBytes(reply.body());
    reply.headers().forEach(exchange.getResponseHeaders()::set);
    if (bytes.length > 0) {
      exchange
          .getResponseHeaders()
          .set("Content-Type", text ? "text/html; charset=utf-8" : "application/json");
    }
    exchange.sendResponseHeaders(reply.status(), bytes.length == 0 ? -1 : bytes.length);
    if (bytes.length > 0) {
      int length = fault == Fault.CUT_IN_THE_ANSWER ? bytes.length / 2 : bytes.length;
      exchange.getResponseBody().write(bytes, 0, length);
      exchange.getResponseBody().flush();
    }
  }

  private static Request request(HttpExchange exchange) throws IOException {
    List<String> path = new ArrayList<>();
    for (String segment : exchange.getRequestURI().getRawPath().substring(1).split("/")) {
      path.add(URLDecoder.decode(segment, StandardCharsets.UTF_8));
    }
    byte[] body = exchange.getRequestBody().readNBytes(LARGEST);
    String type = String.valueOf(exchange.getRequestHeaders().getFirst("Content-Type"));
    JsonNode json;
    if (type.contains("form-urlencoded")) {
      ObjectNode form = JSON.createObjectNode();
      parameters(new String(body, StandardCharsets.UTF_8)).forEach(form::put);
      json = form;
    } else {
      json = body.length == 0 ? JSON.missingNode() : JSON.readTree(body);
    }
    String authorization = exchange.getRequestHeaders().getFirst("Authorization");
    return new Request(
        exchange.getRequestMethod(),
        List.copyOf(path),
        parameters(exchange.getRequestURI().getRawQuery()),
        authorization == null ? "" : authorization,
        json);
  }

  private static Map<String, String> parameters(String text) {
    Map<String, String> parameters = new LinkedHashMap<>();
    if (text != null && !text.isEmpty()) {
      for (String pair : text.split("&")) {
        String[] parts = pair.split("=", 2);
        parameters.put(
            URLDecoder.decode(parts[0], StandardCharsets.UTF_8),
            parts.length < 2 ? "" : URLDecoder.decode(parts[1], StandardCharsets.UTF_8));
      }
    }
    return parameters;
  }

  @Override
  public void close() {
    server.stop(0);
    threads.shutdownNow();
  }
}
