package tolvin.connectors.http;

import java.io.IOException;
import java.net.URI;
import java.net.URISyntaxException;
import java.net.URLEncoder;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.charset.StandardCharsets;
import java.security.SecureRandom;
import java.time.Clock;
import java.time.Duration;
import java.util.HexFormat;
import tolvin.connectors.shared.Cleartext;
import tolvin.connectors.shared.Egress;
import tolvin.core.key.PlainText;
import tolvin.core.pair.SigningException;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.port.TrialPort;
import tolvin.core.proof.SignedAssertion;
import tolvin.core.signin.Assertion;

/**
 * Trials by a signed assertion that is given for an access token (RFC 7523 section 2.1). The token
 * is thrown away; redirects are not followed.
 */
public final class AssertionTrials implements TrialPort {
  private static final String CONNECTION = "by HTTP to ";
  private static final Duration PATIENCE = Duration.ofSeconds(10);
  private static final Duration LIFE = Duration.ofMinutes(2);
  private static final int LONGEST_ANSWER = 300;
  private static final int LARGEST = 64 * 1024;

  private final HttpClient http =
      HttpClient.newBuilder()
          .connectTimeout(PATIENCE)
          .followRedirects(HttpClient.Redirect.NEVER)
          .build();
  private final SecureRandom random = new SecureRandom();
  private final Clock clock;
  private final Egress egress;

  /** Assertions are dated by this clock. */
  public AssertionTrials(Clock clock) {
    this(clock, Egress.ANYWHERE);
  }

  /**
   * Likewise.
   *
   * @param egress where endpoints may be
   */
  public AssertionTrials(Clock clock, Egress egress) {
    this.clock = clock;
    this.egress = egress;
  }

  @Override
  public Trial attempt(Attempt attempt) throws PortException {
    String name = attempt.login().server().name();
    URI endpoint = endpoint(name, attempt.target());
    egress.check(endpoint);
    byte[] id = new byte[16];
    random.nextBytes(id);
    try {
      String account = attempt.login().user();
      Assertion says =
          attempt
              .assertion()
              .orElseGet(
                  () ->
                      new Assertion(
                          account,
                          account,
                          attempt.target(),
                          attempt.login().signer().key().fingerprintText()));
      String assertion =
          SignedAssertion.make(
              attempt.login().signer(),
              new SignedAssertion.Claims(
                  says.issuer(),
                  says.subject(),
                  says.audience(),
                  says.keyName(),
                  clock.instant(),
                  LIFE,
                  HexFormat.of().formatHex(id)));
      String form =
          "grant_type="
              + URLEncoder.encode(
                  "urn:ietf:params:oauth:grant-type:jwt-bearer", StandardCharsets.UTF_8)
              + "&assertion="
              + assertion;
      HttpResponse<byte[]> answer =
          http.send(
              HttpRequest.newBuilder(endpoint)
                  .timeout(PATIENCE)
                  .header("Content-Type", "application/x-www-form-urlencoded")
                  .POST(HttpRequest.BodyPublishers.ofString(form))
                  .build(),
              info -> new BoundedBody(LARGEST));
      if (answer.statusCode() == 200) {
        return new Trial(
            true,
            "authenticated, a token was given",
            -1,
            ServerTime.ahead(answer, clock),
            CONNECTION + name);
      }
      String said =
          PlainText.shown(new String(answer.body(), StandardCharsets.UTF_8).replace('\n', ' '));
      return new Trial(
          false,
          "refused with status "
              + answer.statusCode()
              + ": "
              + said.substring(0, Math.min(said.length(), LONGEST_ANSWER)),
          -1,
          ServerTime.ahead(answer, clock),
          CONNECTION + name);
    } catch (SigningException e) {
      throw new PortException(Kind.NOT_ALLOWED, e.getMessage(), e.remedy());
    } catch (IOException | IllegalArgumentException e) {
      throw new PortException(
          Kind.UNREACHABLE,
          name + " cannot be reached: " + e.getMessage() + ".",
          "Look at the token endpoint's address, and whether it runs.");
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new PortException(Kind.UNREACHABLE, "Interrupted.", "Try again.");
    }
  }

  /** Anybody who reads an assertion on its way can use it, for as long as it is valid. */
  private static URI endpoint(String name, String target) throws PortException {
    try {
      URI uri = new URI(target);
      Cleartext.refuse(name, uri.getScheme(), uri.getHost());
      return uri;
    } catch (URISyntaxException e) {
      throw new PortException(
          Kind.NOT_ALLOWED,
          name + " has a token endpoint that is no address: " + PlainText.shown(target) + ".",
          "Correct “trial” in the sheet.");
    }
  }
}
