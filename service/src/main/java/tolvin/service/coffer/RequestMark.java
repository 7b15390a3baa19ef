package tolvin.service.coffer;

import jakarta.enterprise.context.ApplicationScoped;
import java.security.GeneralSecurityException;
import java.util.HexFormat;
import java.util.UUID;
import javax.crypto.Mac;
import javax.crypto.spec.SecretKeySpec;
import tolvin.service.store.ClockStore;

/**
 * Tells whether two requests are the same without keeping either: HMAC-SHA-256 (RFC 2104) with a
 * key from the coffer, so that a reader of the database cannot try out what a request may have
 * held.
 */
@ApplicationScoped
public class RequestMark {
  private static final UUID SUBJECT = new UUID(0, 2);
  private static final String ALGORITHM = "HmacSHA256";
  private static final int BYTES = 32;

  private final Coffer coffer;
  private final ClockStore clock;
  private volatile byte[] key;

  RequestMark(Coffer coffer, ClockStore clock) {
    this.coffer = coffer;
    this.clock = clock;
  }

  /** The mark of a request's body, in hexadecimal. */
  public String of(byte[] body) {
    try {
      Mac mac = Mac.getInstance(ALGORITHM);
      mac.init(new SecretKeySpec(key(), ALGORITHM));
      return HexFormat.of().formatHex(mac.doFinal(body));
    } catch (GeneralSecurityException impossible) {
      throw new IllegalStateException("every Java platform has HMAC-SHA-256", impossible);
    }
  }

  private byte[] key() {
    if (key == null) {
      key =
          coffer.takeOrMake(
              Coffer.REQUEST_MARK,
              SUBJECT,
              () -> {
                byte[] made = new byte[BYTES];
                clock.random().nextBytes(made);
                return made;
              });
    }
    return key;
  }
}
