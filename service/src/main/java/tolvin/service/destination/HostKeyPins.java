package tolvin.service.destination;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import tolvin.core.key.OneLine;
import tolvin.core.key.PublicKey;
import tolvin.core.key.RefusedException;
import tolvin.service.journal.Journal;
import tolvin.service.problem.Checks;
import tolvin.service.problem.Problem;
import tolvin.service.record.destination.DestinationRow;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.destination.HostKeyRow;
import tolvin.service.store.ClockStore;

/** Pins the host keys that a person has compared. */
@ApplicationScoped
public class HostKeyPins {
  private final DestinationStore store;
  private final ClockStore clock;
  private final Journal journal;

  HostKeyPins(DestinationStore store, ClockStore clock, Journal journal) {
    this.store = store;
    this.clock = clock;
    this.journal = journal;
  }

  /** Replaces the pinned host keys and lets a stopped destination go on. */
  @Transactional
  DestinationRow replace(UUID id, List<String> lines, String reason) {
    DestinationRow row = store.lock(id);
    List<PublicKey> pinned = read(lines);
    Instant now = clock.now();
    store.hostKeys(id).forEach(old -> old.validUntil = now);
    store.flush();
    pin(row, pinned, now);
    row.stoppedBecause = null;
    journal.write(
        "destination.host-keys-pinned",
        id,
        "Host keys of " + row.name + " pinned: " + String.join(", ", fingerprints(pinned)),
        Map.of("reason", Checks.text(reason, "reason")));
    return row;
  }

  /** Pins these besides what is pinned. */
  void pin(DestinationRow destination, List<PublicKey> keys, Instant now) {
    keys.forEach(key -> pin(destination, key, now));
  }

  private void pin(DestinationRow destination, PublicKey key, Instant now) {
    HostKeyRow row = new HostKeyRow();
    row.id = clock.id(now);
    row.destinationId = destination.id;
    row.fingerprint = key.fingerprintText();
    row.blob = key.blob();
    row.validFrom = now;
    store.addHostKey(row);
  }

  /** Host keys as somebody pasted them, a line each. */
  public static List<PublicKey> read(List<String> lines) {
    if (lines == null || lines.isEmpty() || lines.size() > 16) {
      throw Problem.invalid(
          "A destination needs its host keys, at least one.",
          "Paste the lines of the server's ssh_host_*_key.pub files, compared with its"
              + " administrator.");
    }
    List<PublicKey> keys = new ArrayList<>();
    for (String line : lines) {
      try {
        keys.add(OneLine.read(String.valueOf(line)).orRefuse().key());
      } catch (RefusedException e) {
        throw Problem.invalid(
            "A host key cannot be read: " + e.refusal().sentence(), e.refusal().remedy());
      }
    }
    return keys;
  }

  static List<String> fingerprints(List<PublicKey> keys) {
    return keys.stream().map(PublicKey::fingerprintText).toList();
  }
}
