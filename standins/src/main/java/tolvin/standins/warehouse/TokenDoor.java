package tolvin.standins.warehouse;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.security.GeneralSecurityException;
import java.security.KeyFactory;
import java.security.Signature;
import java.security.spec.X509EncodedKeySpec;
import java.time.Clock;
import java.util.Base64;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.UUID;
import java.util.concurrent.ConcurrentHashMap;
import tolvin.core.form.DerKeys;
import tolvin.core.key.Fingerprint;
import tolvin.core.key.PublicKey;
import tolvin.core.key.RefusedException;
import tolvin.standins.http.HttpDoor;
import tolvin.standins.http.Reply;
import tolvin.standins.http.Request;

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

  private final Accounts accounts;
  private final Naming naming;
  private final String path;
  private final HttpDoor http;
  private final Set<String> used = ConcurrentHashMap.newKeySet();
  private final Map<String, String> tokens = new ConcurrentHashMap<>();
  private volatile Queries queries = (account, statement) -> List.of();
  private volatile String lastReason = "";

  /**
   * What is known of an account.
   *
   * @param keys the keys that it has
   * @param enabled whether it may sign in at all
   * @param byKey whether keys are in force for it
   */
  public record Account(List<PublicKey> keys, boolean enabled, boolean byKey) {}

  /** Where accounts are looked up. */
  public interface Accounts {
    /** An account; empty if there is none of that name. */
    Optional<Account> find(String name);

    /** A key was used. */
    void used(String name, PublicKey key);
  }

  /** How an assertion names account and key. */
  public enum Naming {
    /** The issuer is the account; the key is named by the fingerprint that OpenSSH shows. */
    ACCOUNT,
    /** The issuer is the account, a dot and the SHA-256 of the key's SPKI; likewise the key. */
    ACCOUNT_AND_KEY
  }

  /** Answers a query of somebody who is signed in. */
  @FunctionalInterface
  public interface Queries {
    /** The rows. */
    List<Map<String, Object>> run(String account, String statement) throws IOException;
  }

  private TokenDoor(int port, String path, Naming naming, Clock clock, Accounts accounts)
      throws IOException {
    this.accounts = accounts;
    this.naming = naming;
    this.path = path;
    this.http = HttpDoor.open(port, this::answer);
    http.clock(clock);
  }

  /** Opens it on loopback. */
  public static TokenDoor open(int port, String path, Naming naming, Clock clock, Accounts accounts)
      throws IOException {
    return new TokenDoor(port, path, naming, clock, accounts);
  }

  /** Opens it on a free port of loopback, with one key for each account. */
  public static TokenDoor open(Clock clock, Map<String, PublicKey> keys) throws IOException {
    return open(
        0,
        "/token",
        Naming.ACCOUNT,
        clock,
        new Accounts() {
          @Override
          public Optional<Account> find(String name) {
            return Optional.ofNullable(keys.get(name))
                .map(key -> new Account(List.of(key), true, true));
          }

          @Override
          public void used(String name, PublicKey key) {
            // nobody asks
          }
        });
  }

  /** The token endpoint. */
  public String url() {
    return http.url() + path;
  }

  /** The server, for its clock. */
  public HttpDoor door() {
    return http;
  }

  /** What is answered to those who are signed in, below {@code /query}. */
  public void queries(Queries answering) {
    queries = answering;
  }

  /** Why the last assertion was refused; empty if it was not. */
  public String lastReason() {
    return lastReason;
  }

  private Reply answer(Request request) throws IOException {
    if (request.is("POST", "/query")) {
      String account = tokens.get(request.authorization().replaceFirst("^Bearer ", ""));
      return account == null
          ? Reply.of(401, Map.of("error", "invalid_token"))
          : Reply.of(
              200, Map.of("rows", queries.run(account, request.body().path("statement").asText())));
    }
    if (!request.is("POST", path)) {
      return Reply.of(404, Map.of("error", "not_found"));
    }
    String assertion = request.body().path("assertion").asText();
    lastReason = reason(assertion.split("\\."));
    if (!lastReason.isEmpty()) {
      return Reply.of(400, Map.of("error", "invalid_grant", "error_description", "Invalid token."));
    }
    String token = UUID.randomUUID().toString();
    tokens.put(token, claims(assertion.split("\\.")).path("sub").asText());
    return Reply.of(200, Map.of("access_token", token, "token_type", "Bearer", "expires_in", 60));
  }

  private static JsonNode claims(String[] parts) throws IOException {
    return JSON.readTree(Base64.getUrlDecoder().decode(parts[1]));
  }

  private String reason(String[] parts) {
    if (parts.length != 3) {
      return "no assertion";
    }
    try {
      JsonNode head = JSON.readTree(Base64.getUrlDecoder().decode(parts[0]));
      JsonNode claims = claims(parts);
      String name = claims.path("sub").asText();
      Optional<Account> account = accounts.find(name);
      if (account.isEmpty()) {
        return "unknown account";
      }
      if (!account.get().enabled() || !account.get().byKey()) {
        return account.get().enabled() ? "keys are not in force" : "the account is disabled";
      }
      Optional<PublicKey> key =
          account.get().keys().stream()
              .filter(k -> named(k).equals(head.path("kid").asText()))
              .findFirst();
      if (key.isEmpty()) {
        return "another key is named";
      }
      String issuer = naming == Naming.ACCOUNT ? name : name + "." + named(key.get());
      if (!claims.path("iss").asText().equals(issuer)) {
        return "another issuer";
      }
      if (!claims.path("aud").asText().equals(url())) {
        return "meant for another audience";
      }
      long now = http.clock().instant().getEpochSecond();
      long until = claims.path("exp").asLong();
      if (until <= now || until > now + MOST_SECONDS || claims.path("iat").asLong() > now + 5) {
        return "not of this time";
      }
      if (!signed(head.path("alg").asText(), key.get(), parts)) {
        return "the signature does not hold";
      }
      if (!used.add(claims.path("jti").asText())) {
        return "given before";
      }
      accounts.used(name, key.get());
      return "";
    } catch (IOException | IllegalArgumentException damaged) {
      return "not readable";
    }
  }

  private String named(PublicKey key) {
    if (naming == Naming.ACCOUNT) {
      return key.fingerprintText();
    }
    try {
      return "SHA256:"
          + Base64.getEncoder().encodeToString(Fingerprint.sha256(DerKeys.writeSpki(key)));
    } catch (RefusedException noSpki) {
      return "";
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
    http.close();
  }
}
