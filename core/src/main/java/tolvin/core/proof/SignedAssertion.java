package tolvin.core.proof;

import com.fasterxml.jackson.core.JsonFactory;
import com.fasterxml.jackson.core.JsonGenerator;
import java.io.IOException;
import java.io.StringWriter;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.time.Instant;
import java.util.Base64;
import tolvin.core.key.KeyType;
import tolvin.core.key.RefusedException;
import tolvin.core.key.Wire;
import tolvin.core.pair.EcdsaNumbers;
import tolvin.core.pair.SignatureAlgorithm;
import tolvin.core.pair.Signer;
import tolvin.core.pair.SigningException;

/**
 * An assertion that signs an account in (RFC 7523 section 3): a JWT (RFC 7519) signed as a JWS (RFC
 * 7515) with RS256, ES256, ES384, ES512 (RFC 7518) or EdDSA (RFC 8037).
 */
public final class SignedAssertion {
  private static final JsonFactory JSON = new JsonFactory();

  private SignedAssertion() {}

  /**
   * What an assertion claims.
   *
   * @param issuer who speaks, usually the account
   * @param subject who is to be signed in
   * @param audience the token endpoint that it is meant for
   * @param keyName how the destination names the key, usually its fingerprint
   * @param issuedAt when it was made
   * @param life how long it is good
   * @param id its own id, so that it is good once
   */
  public record Claims(
      String issuer,
      String subject,
      String audience,
      String keyName,
      Instant issuedAt,
      Duration life,
      String id) {}

  /**
   * Makes one.
   *
   * @throws SigningException if the key's type signs no assertions, or its holder does not sign
   */
  public static String make(Signer signer, Claims claims) throws SigningException {
    KeyType type = signer.key().type();
    String algorithm =
        switch (type) {
          case RSA -> "RS256";
          case ECDSA_P256 -> "ES256";
          case ECDSA_P384 -> "ES384";
          case ECDSA_P521 -> "ES512";
          case ED25519 -> "EdDSA";
          default ->
              throw new SigningException(
                  "A security key signs no assertions.",
                  "Use an RSA, ECDSA or Ed25519 key for this account.");
        };
    SignatureAlgorithm chosen =
        type == KeyType.RSA ? SignatureAlgorithm.RSA_SHA256 : SignatureAlgorithm.usual(type);
    String signed = encoded(header(algorithm, claims)) + "." + encoded(body(claims));
    byte[] signature = signer.sign(signed.getBytes(StandardCharsets.US_ASCII), chosen.word());
    try {
      Wire wire = new Wire(signature);
      wire.string("signature algorithm");
      byte[] bytes = wire.string("signature");
      byte[] raw = chosen.width() > 0 ? EcdsaNumbers.fromWire(bytes, chosen.width()) : bytes;
      return signed + "." + Base64.getUrlEncoder().withoutPadding().encodeToString(raw);
    } catch (RefusedException e) {
      throw new SigningException(
          "The signature cannot be read: " + e.getMessage(), "Look at the module that made it.");
    }
  }

  private interface Writing {
    void write(JsonGenerator json) throws IOException;
  }

  private static String header(String algorithm, Claims claims) {
    return json(
        json -> {
          json.writeStringField("alg", algorithm);
          json.writeStringField("typ", "JWT");
          json.writeStringField("kid", claims.keyName());
        });
  }

  private static String body(Claims claims) {
    return json(
        json -> {
          json.writeStringField("iss", claims.issuer());
          json.writeStringField("sub", claims.subject());
          json.writeStringField("aud", claims.audience());
          json.writeNumberField("iat", claims.issuedAt().getEpochSecond());
          json.writeNumberField("exp", claims.issuedAt().plus(claims.life()).getEpochSecond());
          json.writeStringField("jti", claims.id());
        });
  }

  private static String json(Writing writing) {
    StringWriter text = new StringWriter();
    try (JsonGenerator json = JSON.createGenerator(text)) {
      json.writeStartObject();
      writing.write(json);
      json.writeEndObject();
    } catch (IOException impossible) {
      throw new IllegalStateException("a text in memory can be written", impossible);
    }
    return text.toString();
  }

  private static String encoded(String text) {
    return Base64.getUrlEncoder()
        .withoutPadding()
        .encodeToString(text.getBytes(StandardCharsets.UTF_8));
  }
}
