package tolvin.service.coffer;

import static tolvin.service.store.Transactions.inNewTransaction;

import com.google.crypto.tink.Aead;
import com.google.crypto.tink.aead.KmsEnvelopeAead;
import com.google.crypto.tink.aead.PredefinedAeadParameters;
import io.quarkus.narayana.jta.QuarkusTransaction;
import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.security.GeneralSecurityException;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.UUID;
import java.util.function.Consumer;
import java.util.function.Supplier;
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

  private static final UUID CANARY_SUBJECT = new UUID(0, 3);
  private static final byte[] SONG = "this coffer opens".getBytes(StandardCharsets.UTF_8);
  private static final int PAGE = 500;
  private static final int LONGEST_EXCHANGE = 1800; // seconds

  /** Where the id of the wrapping key stands: length (4), Tink's own prefix (1), id (4). */
  private static final int KEY_ID_AT = 5;

  private final CofferStore store;
  private final MasterKey master;
  private final ClockStore clock;
  private volatile Opened opened;

  /**
   * The coffer as it was opened.
   *
   * @param since when the canary was written that it was opened with
   */
  private record Opened(Aead envelope, Instant since) {}

  /** What an exchange of the master key did. */
  public record Exchanged(int entries) {}

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

  /**
   * Encrypts with the master key of now. The canary stays as it is until the transaction ends, so
   * that no exchange of the master key can pass over what is kept here.
   */
  private byte[] sealed(String purpose, UUID subject, byte[] secret) {
    Opened now = opened();
    if (!now.since().equals(store.holdCanary())) {
      now = opening();
    }
    return encrypted(now.envelope(), purpose, subject, secret);
  }

  private static byte[] encrypted(Aead with, String purpose, UUID subject, byte[] secret) {
    try {
      return with.encrypt(secret, bound(purpose, subject));
    } catch (GeneralSecurityException e) {
      throw new IllegalStateException("the coffer could not encrypt", e);
    }
  }

  Optional<byte[]> takeBytes(String purpose, UUID subject) {
    return store.of(purpose, subject).filter(row -> row.destroyedAt == null).map(this::decrypted);
  }

  private byte[] decrypted(CofferRow row) {
    Opened now = opened();
    try {
      try {
        return now.envelope().decrypt(row.ciphertext, bound(row.purpose, row.subjectId));
      } catch (GeneralSecurityException e) {
        if (now.since().equals(store.canary().orElseThrow().createdAt)) {
          throw e;
        }
        // another instance has exchanged the master key meanwhile
        return opening().envelope().decrypt(row.ciphertext, bound(row.purpose, row.subjectId));
      }
    } catch (GeneralSecurityException e) {
      throw new IllegalStateException(
          "A coffer entry does not open: it was moved or changed, or the master key is another one",
          e);
    }
  }

  /**
   * A secret of the installation itself; the first who asks makes it.
   *
   * @param make makes it, if it is not there yet
   */
  byte[] takeOrMake(String purpose, UUID subject, Supplier<byte[]> make) {
    return inNewTransaction(
        () -> {
          Optional<byte[]> kept = takeBytes(purpose, subject);
          if (kept.isPresent()) {
            return kept.get();
          }
          store.oneMakerAtATime();
          return takeBytes(purpose, subject)
              .orElseGet(
                  () -> {
                    byte[] made = make.get();
                    keepBytes(purpose, subject, made);
                    return made;
                  });
        });
  }

  /**
   * Opens the coffer now rather than at the first use.
   *
   * @throws IllegalStateException if the master key is missing, open to others, or not the one of
   *     this database
   */
  public void open() {
    opened();
  }

  private Opened opened() {
    if (opened == null) {
      synchronized (this) {
        if (opened == null) {
          opening();
        }
      }
    }
    return opened;
  }

  /** Reads the master key, and sees whether it opens what was put in first. */
  private synchronized Opened opening() {
    opened = inNewTransaction(this::withCanary);
    return opened;
  }

  private Opened withCanary() throws GeneralSecurityException {
    boolean isEmpty = store.isEmpty();
    Aead envelope = envelope(master.read(isEmpty));
    Optional<CofferRow> canary = store.canary();
    if (canary.isEmpty()) {
      store.any().ifPresent(entry -> demandOpens(envelope, entry)); // from before there was one
      CofferRow first = new CofferRow();
      first.createdAt = clock.now();
      first.id = clock.id(first.createdAt);
      first.purpose = CofferStore.CANARY;
      first.subjectId = CANARY_SUBJECT;
      first.ciphertext = encrypted(envelope, CofferStore.CANARY, CANARY_SUBJECT, SONG);
      store.addOnce(first);
      canary = store.canary(); // perhaps that of another instance, with another key
    }
    demandOpens(envelope, canary.orElseThrow());
    return new Opened(envelope, canary.get().createdAt);
  }

  /** Each secret has a data key of its own, which the master key wraps. */
  private static Aead envelope(Aead master) throws GeneralSecurityException {
    return KmsEnvelopeAead.create(PredefinedAeadParameters.AES256_GCM, master);
  }

  private static void demandOpens(Aead envelope, CofferRow entry) {
    try {
      envelope.decrypt(entry.ciphertext, bound(entry.purpose, entry.subjectId));
    } catch (GeneralSecurityException anotherKey) {
      throw new IllegalStateException(
          "The master key is not the one that this database's secrets are encrypted with. Give"
              + " each service on a database the same key, or the key that belongs to this backup.",
          anotherKey);
    }
  }

  /**
   * Exchanges the master key while the service runs: a new key is added, every entry is wrapped
   * anew, the former key is dropped. Putting something in waits meanwhile. When it fails on the
   * way, both keys stay, everything opens, and the next exchange goes on.
   *
   * @param afterwards what is done in the same transaction
   */
  public Exchanged exchange(Consumer<Exchanged> afterwards) {
    opened();
    Exchanged exchanged =
        QuarkusTransaction.requiringNew()
            .timeout(LONGEST_EXCHANGE)
            .call(
                () -> {
                  CofferRow canary = store.lock(store.canary().orElseThrow().id);
                  // as the file is now: another instance may have exchanged it since it was read
                  Aead present = envelope(master.read(false));
                  demandOpens(present, canary);
                  Aead with = master.isBeingExchanged() ? present : envelope(master.add());
                  int entries = wrapAnew(with);
                  store.get(canary.id).createdAt = clock.now();
                  Exchanged done = new Exchanged(entries);
                  afterwards.accept(done);
                  return done;
                });
    master.dropOthers();
    opening();
    return exchanged;
  }

  private int wrapAnew(Aead with) throws GeneralSecurityException {
    int primary = master.primary();
    int entries = 0;
    UUID after = new UUID(0, 0);
    for (List<CofferRow> page = store.lockKept(after, PAGE);
        !page.isEmpty();
        page = store.lockKept(after, PAGE)) {
      for (CofferRow row : page) {
        if (ByteBuffer.wrap(row.ciphertext).getInt(KEY_ID_AT) != primary) {
          byte[] bound = bound(row.purpose, row.subjectId);
          row.ciphertext = with.encrypt(with.decrypt(row.ciphertext, bound), bound);
          entries++;
        }
      }
      after = page.get(page.size() - 1).id;
      store.letGo();
    }
    return entries;
  }

  private static byte[] bound(String purpose, UUID subject) {
    return (purpose + "|" + subject).getBytes(StandardCharsets.UTF_8);
  }
}
