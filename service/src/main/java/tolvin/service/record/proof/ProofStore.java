package tolvin.service.record.proof;

import jakarta.enterprise.context.ApplicationScoped;
import java.util.Collection;
import java.util.EnumSet;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.UUID;
import tolvin.core.proof.ProofKind;
import tolvin.core.rulebook.Facts;
import tolvin.service.store.RowStore;

/** Proofs of keys, and the counters of security keys. */
@ApplicationScoped
public class ProofStore extends RowStore<ProofRow> {
  ProofStore() {
    super(ProofRow.class, "proof");
  }

  /** The proofs of a key, oldest first; possession before what the hardware adds. */
  public List<ProofRow> of(UUID key) {
    return list("r.keyId = :key", Map.of("key", key)).stream()
        .sorted(java.util.Comparator.comparing((ProofRow p) -> p.at).thenComparing(p -> p.kind))
        .toList();
  }

  /** What was proven of some keys, as the rulebook asks for it. */
  public Map<UUID, Set<Facts.Evidence>> evidence(Collection<UUID> keys) {
    Map<UUID, Set<Facts.Evidence>> evidence = new HashMap<>();
    if (keys.isEmpty()) {
      return evidence;
    }
    for (ProofRow proof : list("r.keyId in :keys", Map.of("keys", keys))) {
      Set<Facts.Evidence> of =
          evidence.computeIfAbsent(proof.keyId, k -> EnumSet.noneOf(Facts.Evidence.class));
      of.add(
          proof.kind == ProofKind.HARDWARE
              ? Facts.Evidence.ATTESTATION
              : Facts.Evidence.POSSESSION);
      if (proof.passphrase) {
        of.add(Facts.Evidence.PASSPHRASE);
      }
      if (Boolean.TRUE.equals(proof.verified)) {
        of.add(Facts.Evidence.USER_VERIFICATION);
      }
    }
    return evidence;
  }

  /** The counter of a key, locked. */
  public Optional<CounterRow> counter(UUID key) {
    return Optional.ofNullable(
        database.find(CounterRow.class, key, jakarta.persistence.LockModeType.PESSIMISTIC_WRITE));
  }

  /** The counter of a key, to be shown. */
  public Optional<CounterRow> counterOf(UUID key) {
    return Optional.ofNullable(database.find(CounterRow.class, key));
  }

  public void add(CounterRow counter) {
    database.persist(counter);
  }
}
