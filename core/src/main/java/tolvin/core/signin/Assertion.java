package tolvin.core.signin;

/**
 * What an assertion says (RFC 7523 section 3).
 *
 * @param issuer who speaks
 * @param subject who is to be signed in
 * @param audience whom it is meant for
 * @param keyName how it names the key
 */
public record Assertion(String issuer, String subject, String audience, String keyName) {}
