package tolvin.standins.warehouse;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.sun.net.httpserver.HttpExchange;
import com.sun.net.httpserver.HttpServer;
import java.io.IOException;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.nio.charset.StandardCharsets;
import java.security.GeneralSecurityException;
import java.security.KeyFactory;
import java.security.Signature;
import java.security.spec.X509EncodedKeySpec;
import java.time.Clock;
import java.util.Base64;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import tolvin.core.form.DerKeys;
import tolvin.core.key.PublicKey;
import tolvin.core.key.RefusedException;

/**
 * A token endpoint as warehouses have it (RFC 7523 section 2.1): it checks a signed assertion and
 * answers every failure with the same sentence. Why it failed stands in its own log alone.
 */
public final class TokenDoor implements AutoCloseable {
  private static final ObjectMapper JSON = new ObjectMapper();
  private static final long MOST_SECONDS = 300;
  private static final Map<String, String> ALGORITHMS =
      Map.of(
          "RS256", "SHA256withRSA",
          "ES256", "SHA256withECDSAinP1363Format",
          "ES384", "SHA384withECDSAinP1363Format",
          "ES512", "SHA512withECDSAinP1363Format",
          "EdDSA", "Ed25519");

  private final HttpServer server;
  private final Clock clock;
  private final Map<String, PublicKey> accounts = new ConcurrentHashMap<>();
  private final Set<String> used = ConcurrentHashMap.newKeySet();
  private volatile String lastReason = "";

  private TokenDoor(HttpServer server, Clock clock) {
    this.server = server;
    this.clock = clock;
  }

  /** Opens it on loopback, on a free port. */
  public static TokenDoor open(Clock clock) throws IOException {
    HttpServer server =
        HttpServer.create(new InetSocketAddress(InetAddress.getLoopbackAddress(), 0), 0);
    TokenDoor door = new TokenDoor(server, clock);
    server.createContext("/token", door::answer);
    server.start();
    return door;
  }

  /** The token endpoint. */
  public String url() {
    return "http://127.0.0.1:" + server.getAddress().getPort() + "/token";
  }

  /** Lets an account in with a key, and with no other. */
  public void register(String account, PublicKey key) {
    accounts.put(account, key);
  }

  /** Why the last assertion was refused; empty if it was not. */
  public String lastReason() {
    return lastReason;
  }

  private void answer(HttpExchange exchange) throws IOException {
    String form = new String(exchange.getRequestBody().readNBytes(65536), StandardCharsets.UTF_8);
    lastReason = reason(form);
    boolean good = lastReason.isEmpty();
    byte[] body =
        (good
                ? "{\"access_token\":\"made-up\",\"token_type\":\"Bearer\",\"expires_in\":60}"
                : "{\"error\":\"invalid_grant\",\"error_description\":\"Invalid token.\"}")
            .getBytes(StandardCharsets.UTF_8);
    exchange.getResponseHeaders().set("Content-Type", "application/json");
    exchange.sendResponseHeaders(good ? 200 : 400, body.length);
    try (var out = exchange.getResponseBody()) {
      out.write(body);
    }
  }

  private String reason(String form) {
    int at = form.indexOf("assertion=");
    String[] parts = at < 0 ? new String[0] : form.substring(at + 10).split("[.&]");
    if (parts.length < 3) {
      return "no assertion";
    }
    try {
      JsonNode head = JSON.readTree(Base64.getUrlDecoder().decode(parts[0]));
      JsonNode claims = JSON.readTree(Base64.getUrlDecoder().decode(parts[1]));
      PublicKey key = accounts.get(claims.path("sub").asText());
      if (key == null || !claims.path("iss").equals(claims.path("sub"))) {
        return "unknown account";
      }
      if (!head.path("kid").asText().equals(key.fingerprintText())) {
        return "another key is named";
      }
      if (!claims.path("aud").asText().equals(url())) {
        return "meant for another audience";
      }
      long now = clock.instant().getEpochSecond();
      long until = claims.path("exp").asLong();
      if (until <= now || until > now + MOST_SECONDS || claims.path("iat").asLong() > now + 5) {
        return "not of this time";
      }
      if (!signed(head.path("alg").asText(), key, parts)) {
        return "the signature does not hold";
      }
      return used.add(claims.path("jti").asText()) ? "" : "given before";
    } catch (IOException | IllegalArgumentException damaged) {
      return "not readable";
    }
  }

  private static boolean signed(String algorithm, PublicKey key, String[] parts) {
    try {
      String name = key.type().label().equals("ECDSA") ? "EC" : key.type().label();
      Signature check = Signature.getInstance(ALGORITHMS.getOrDefault(algorithm, "none"));
      check.initVerify(
          KeyFactory.getInstance(name)
              .generatePublic(new X509EncodedKeySpec(DerKeys.writeSpki(key))));
      check.update((parts[0] + "." + parts[1]).getBytes(StandardCharsets.US_ASCII));
      return check.verify(Base64.getUrlDecoder().decode(parts[2]));
    } catch (GeneralSecurityException | RefusedException wrong) {
      return false;
    }
  }

  @Override
  public void close() {
    server.stop(0);
  }
}
