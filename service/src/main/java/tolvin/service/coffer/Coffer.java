package tolvin.service.coffer;

import com.google.crypto.tink.Aead;
import com.google.crypto.tink.aead.KmsEnvelopeAead;
import com.google.crypto.tink.aead.PredefinedAeadParameters;
import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.nio.charset.StandardCharsets;
import java.security.GeneralSecurityException;
import java.time.Instant;
import java.util.Optional;
import java.util.Set;
import java.util.UUID;
import tolvin.core.key.PublicKey;
import tolvin.core.pair.SecretPair;
import tolvin.service.store.ClockStore;

/**
 * Keeps secrets by envelope encryption: each has a data key of its own (AES-256-GCM), wrapped by
 * the master key, and is bound to its purpose and subject, so that a ciphertext moved to another
 * row does not open.
 */
@ApplicationScoped
public class Coffer {
  /** The purpose of a private key; the subject is the key that it belongs to. */
  public static final String PRIVATE_KEY = "private half"; // bound into what is encrypted

  /** The purpose of the pair that Tolvin signs in to a destination with; the subject is that. */
  public static final String CONNECTION = "connection";

  /** The purpose of the secret that Tolvin connects to a destination with; the subject is that. */
  public static final String CONNECTION_SECRET = "connection secret";

  /** Passwords of accounts that want both, for trials. */
  public static final String ACCOUNT_PASSWORD = "account password";

  static final String SEAL = "journal seal";

  static final String REQUEST_MARK = "request mark";

  private final CofferStore store;
  private final MasterKey master;
  private final ClockStore clock;
  private volatile Aead envelope;

  Coffer(CofferStore store, MasterKey master, ClockStore clock) {
    this.store = store;
    this.master = master;
    this.clock = clock;
  }

  /** Keeps the private key of a pair. */
  @Transactional(Transactional.TxType.MANDATORY)
  public void keep(String purpose, UUID subject, SecretPair pair) {
    keepBytes(purpose, subject, pair.secret());
  }

  /** Whether it holds a private key for a subject. */
  @Transactional
  public boolean holds(String purpose, UUID subject) {
    return store.of(purpose, subject).filter(row -> row.destroyedAt == null).isPresent();
  }

  /** Whether it held a private key for a subject once, and destroyed it. */
  @Transactional
  public boolean isDestroyed(String purpose, UUID subject) {
    return store.of(purpose, subject).filter(row -> row.destroyedAt != null).isPresent();
  }

  /** The subjects of which it holds a private key. */
  @Transactional
  public Set<UUID> subjects(String purpose) {
    return Set.copyOf(store.subjects(purpose));
  }

  /**
   * Takes a pair out, into memory; the caller closes it.
   *
   * @param key its public key
   */
  @Transactional
  public Optional<SecretPair> take(String purpose, UUID subject, PublicKey key) {
    return takeBytes(purpose, subject).map(seed -> new SecretPair(key, seed));
  }

  /** Keeps a secret text, in place of the one before if there is one. */
  @Transactional(Transactional.TxType.MANDATORY)
  public void keepText(String purpose, UUID subject, String secret) {
    byte[] bytes = secret.getBytes(StandardCharsets.UTF_8);
    Optional<CofferRow> former = store.of(purpose, subject);
    if (former.isEmpty()) {
      keepBytes(purpose, subject, bytes);
      return;
    }
    former.get().ciphertext = sealed(purpose, subject, bytes);
    former.get().createdAt = clock.now();
    former.get().destroyedAt = null;
  }

  /** Takes a secret text out, into memory. */
  @Transactional
  public Optional<String> takeText(String purpose, UUID subject) {
    return takeBytes(purpose, subject).map(bytes -> new String(bytes, StandardCharsets.UTF_8));
  }

  /** Destroys a private key: the row stays, its ciphertext goes. */
  @Transactional(Transactional.TxType.MANDATORY)
  public void destroy(String purpose, UUID subject) {
    store
        .of(purpose, subject)
        .filter(row -> row.destroyedAt == null)
        .ifPresent(
            row -> {
              row.ciphertext = null;
              row.destroyedAt = clock.now();
            });
  }

  void keepBytes(String purpose, UUID subject, byte[] secret) {
    Instant now = clock.now();
    CofferRow row = new CofferRow();
    row.id = clock.id(now);
    row.purpose = purpose;
    row.subjectId = subject;
    row.createdAt = now;
    row.ciphertext = sealed(purpose, subject, secret);
    store.add(row);
    store.flush();
  }

  private byte[] sealed(String purpose, UUID subject, byte[] secret) {
    try {
      return envelope().encrypt(secret, bound(purpose, subject));
    } catch (GeneralSecurityException e) {
      throw new IllegalStateException("the coffer could not encrypt", e);
    }
  }

  Optional<byte[]> takeBytes(String purpose, UUID subject) {
    return store
        .of(purpose, subject)
        .filter(row -> row.destroyedAt == null)
        .map(
            row -> {
              try {
                return envelope().decrypt(row.ciphertext, bound(purpose, subject));
              } catch (GeneralSecurityException e) {
                throw new IllegalStateException(
                    "A coffer entry does not open: it was moved or changed, or the master key is"
                        + " another one",
                    e);
              }
            });
  }

  /** Opens the master key now rather than at the first use, so that a missing one is noticed. */
  @Transactional
  public void open() {
    envelope();
  }

  private Aead envelope() {
    if (envelope == null) {
      synchronized (this) {
        if (envelope == null) {
          try {
            envelope =
                KmsEnvelopeAead.create(
                    PredefinedAeadParameters.AES256_GCM, master.open(store.isEmpty()));
          } catch (GeneralSecurityException e) {
            throw new IllegalStateException("the coffer could not be opened", e);
          }
        }
      }
    }
    return envelope;
  }

  private static byte[] bound(String purpose, UUID subject) {
    return (purpose + "|" + subject).getBytes(StandardCharsets.UTF_8);
  }
}
