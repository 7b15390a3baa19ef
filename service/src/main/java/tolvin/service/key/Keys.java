package tolvin.service.key;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import tolvin.core.key.OneLine;
import tolvin.core.key.PublicKey;
import tolvin.core.key.Reading;
import tolvin.core.key.Refusal;
import tolvin.core.key.RefusedException;
import tolvin.service.identity.IdentityRow;
import tolvin.service.identity.IdentityStore;
import tolvin.service.journal.Journal;
import tolvin.service.store.ClockStore;
import tolvin.service.web.Checks;
import tolvin.service.web.Problem;

/** Registers keys. */
@ApplicationScoped
public class Keys {
  private static final List<String> CUSTODIES = List.of("machine", "device", "module", "elsewhere");

  private final KeyStore store;
  private final IdentityStore identities;
  private final ClockStore clock;
  private final Journal journal;

  Keys(KeyStore store, IdentityStore identities, ClockStore clock, Journal journal) {
    this.store = store;
    this.identities = identities;
    this.clock = clock;
    this.journal = journal;
  }

  @Transactional
  KeyRow register(KeyResource.KeyWish wish) {
    Reading.Key read = read(wish.text());
    String custody =
        wish.custody() == null ? "elsewhere" : Checks.oneOf(wish.custody(), CUSTODIES, "custody");
    IdentityRow identity = identities.get(wish.identityId());
    store
        .live(read.key().fingerprintText())
        .ifPresent(
            there -> {
              throw Problem.conflict(
                  "key-registered",
                  "This key is registered already, for "
                      + identities.find(there.identityId).map(i -> i.name).orElse("nobody yet")
                      + ".",
                  "One key belongs to one identity: make another one, or use that registration.");
            });
    if (!store.ever(read.key().fingerprintText()).isEmpty()) {
      throw Problem.conflict(
          "key-withdrawn",
          "This key was in use before and was withdrawn; it is not registered again.",
          "Make a new key.");
    }
    Instant now = clock.now();
    Instant made = wish.madeAt() == null || wish.madeAt().isAfter(now) ? now : wish.madeAt();
    KeyRow row = add(read.key(), read.comment(), identity.id, custody, made);
    store.flush();
    journal.write(
        "key.registered",
        row.id,
        "Key " + row.fingerprint + " registered for " + identity.name,
        Map.of("type", row.type, "bits", row.bits, "custody", custody));
    return row;
  }

  /** Adds a key. */
  @Transactional(Transactional.TxType.MANDATORY)
  public KeyRow add(PublicKey key, String comment, UUID identity, String custody, Instant made) {
    Instant now = clock.now();
    KeyRow row = new KeyRow();
    row.id = clock.id(now);
    row.fingerprint = key.fingerprintText();
    row.md5 = key.md5();
    row.type = key.type().word();
    row.bits = key.bits();
    row.application = key.application().orElse(null);
    row.blob = key.blob();
    row.comment = comment;
    row.identityId = identity;
    row.custody = custody;
    row.madeAt = made;
    row.registeredAt = now;
    return store.add(row);
  }

  /** Reads text as one key; a problem with the reason if it is none. */
  static Reading.Key read(String text) {
    try {
      return OneLine.read(text == null ? "" : text).orRefuse();
    } catch (RefusedException e) {
      Refusal refusal = e.refusal();
      throw new Problem(
          422,
          refusal.reason() == Refusal.Reason.PRIVATE_HALF
              ? "private-half"
              : "not-a-key-" + refusal.reason().name().toLowerCase().replace('_', '-'),
          "Not a key that can be taken",
          refusal.sentence(),
          refusal.wayOut());
    }
  }
}
