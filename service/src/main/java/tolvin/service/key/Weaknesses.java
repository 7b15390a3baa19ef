package tolvin.service.key;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.math.BigInteger;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.Set;
import java.util.UUID;
import java.util.stream.Stream;
import tolvin.core.key.Fingerprint;
import tolvin.core.key.KeyNumbers;
import tolvin.core.key.PublicKey;
import tolvin.core.weak.RsaCheck;
import tolvin.core.weak.SharedFactors;
import tolvin.core.weak.Weakness;
import tolvin.service.destination.Access;
import tolvin.service.journal.Journal;
import tolvin.service.record.key.CompromisedStore;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.key.WeaknessRow;
import tolvin.service.record.key.WeaknessStore;
import tolvin.service.store.ClockStore;

/** Finds what speaks against keys that come in, and notes it of those that are here. */
@ApplicationScoped
public class Weaknesses {
  private final KeyStore keys;
  private final WeaknessStore store;
  private final CompromisedStore compromised;
  private final ClockStore clock;
  private final Journal journal;

  /** The stored RSA moduli as one product, kept up as keys come in. */
  private BigInteger product = BigInteger.ONE;

  private UUID productTo;
  private long productOf;

  Weaknesses(
      KeyStore keys,
      WeaknessStore store,
      CompromisedStore compromised,
      ClockStore clock,
      Journal journal) {
    this.keys = keys;
    this.store = store;
    this.compromised = compromised;
    this.clock = clock;
    this.journal = journal;
  }

  /**
   * What speaks against some keys.
   *
   * @param found by key; a key against which nothing speaks is not in it
   * @param stored stored keys that share a factor with one of them
   */
  record Findings(Map<PublicKey, List<Weakness>> found, Map<KeyRow, Weakness> stored) {

    List<Weakness> of(PublicKey key) {
      return found.getOrDefault(key, List.of());
    }
  }

  /** Examines keys that were never stored. */
  @Transactional
  Findings examine(Set<PublicKey> fresh) {
    Map<PublicKey, List<Weakness>> found = new HashMap<>();
    List<String> digests = new ArrayList<>();
    fresh.forEach(
        key -> {
          digests.add(key.fingerprintText());
          digests.add(key.md5());
          digests.add(Fingerprint.sha1(key.blob()));
        });
    Map<String, String> listed = compromised.named(digests);
    for (PublicKey key : fresh) {
      String list =
          Stream.of(key.fingerprintText(), key.md5(), Fingerprint.sha1(key.blob()))
              .map(listed::get)
              .filter(Objects::nonNull)
              .findFirst()
              .orElse(null);
      if (list != null) {
        add(found, key, new Weakness(Weakness.Kind.COMPROMISED, list));
      }
    }
    Map<BigInteger, PublicKey> moduli = new LinkedHashMap<>();
    fresh.forEach(key -> modulus(key).ifPresent(m -> moduli.put(m, key)));
    moduli.values().parallelStream()
        .map(key -> Map.entry(key, RsaCheck.of(key)))
        .toList()
        .forEach(e -> e.getValue().ifPresent(w -> add(found, e.getKey(), w)));
    return new Findings(found, moduli.isEmpty() ? Map.of() : shared(moduli, found));
  }

  private Map<KeyRow, Weakness> shared(
      Map<BigInteger, PublicKey> moduli, Map<PublicKey, List<Weakness>> found) {
    Map<KeyRow, Weakness> stored = new LinkedHashMap<>();
    List<BigInteger> fresh = new ArrayList<>(moduli.keySet());
    for (int i : SharedFactors.among(fresh).keySet()) {
      add(
          found,
          moduli.get(fresh.get(i)),
          new Weakness(Weakness.Kind.SHARED_FACTOR, "another key that came with it"));
    }
    Map<Integer, BigInteger> withStored = SharedFactors.with(fresh, stored());
    withStored.forEach(
        (i, factor) -> {
          PublicKey key = moduli.get(fresh.get(i));
          for (KeyRow other : keys.rsaAfter(null)) {
            PublicKey there = Access.key(other.blob);
            BigInteger modulus = modulus(there).orElseThrow();
            if (!modulus.gcd(fresh.get(i)).equals(BigInteger.ONE)) {
              add(found, key, new Weakness(Weakness.Kind.SHARED_FACTOR, other.fingerprint));
              stored.put(other, new Weakness(Weakness.Kind.SHARED_FACTOR, key.fingerprintText()));
            }
          }
        });
    return stored;
  }

  /** The product of all stored moduli. */
  private synchronized BigInteger stored() {
    long count = keys.rsaCount();
    if (count != productOf) {
      List<KeyRow> later = keys.rsaAfter(productTo);
      if (productOf + later.size() != count) {
        later = keys.rsaAfter(null);
        product = BigInteger.ONE;
      }
      List<BigInteger> moduli =
          later.stream().map(row -> modulus(Access.key(row.blob)).orElseThrow()).toList();
      product = SharedFactors.product(List.of(product, SharedFactors.product(moduli)));
      productTo = later.isEmpty() ? productTo : later.get(later.size() - 1).id;
      productOf = count;
    }
    return product;
  }

  /** Notes what speaks against a stored key, once. */
  @Transactional(Transactional.TxType.MANDATORY)
  void note(UUID key, Weakness weakness) {
    if (store.of(Set.of(key)).getOrDefault(key, List.of()).contains(weakness)) {
      return;
    }
    add(key, weakness, clock.now());
    journal.write(
        "key.weakness-found",
        key,
        "The key must not be trusted: " + weakness.sentence(),
        Map.of("kind", weakness.kind().word()));
  }

  /** Notes what speaks against a key that is being stored. */
  void add(UUID key, Weakness weakness, Instant now) {
    WeaknessRow row = new WeaknessRow();
    row.id = clock.id(now);
    row.keyId = key;
    row.kind = weakness.kind();
    row.detail = weakness.detail();
    row.foundAt = now;
    store.add(row);
  }

  /** Forgets what only a list said that is no longer in force. */
  @Transactional(Transactional.TxType.MANDATORY)
  void forget(String list) {
    store.forget(list);
  }

  private static void add(Map<PublicKey, List<Weakness>> found, PublicKey key, Weakness weakness) {
    found.computeIfAbsent(key, k -> new ArrayList<>()).add(weakness);
  }

  private static Optional<BigInteger> modulus(PublicKey key) {
    return key.numbers() instanceof KeyNumbers.Rsa rsa
        ? Optional.of(rsa.modulus())
        : Optional.empty();
  }
}
