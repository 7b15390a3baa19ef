package tolvin.service.hostkey;

import static tolvin.service.store.Transactions.inNewTransaction;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import tolvin.core.give.KnownHost;
import tolvin.core.key.Fingerprint;
import tolvin.core.key.FingerprintText;
import tolvin.core.key.OneLine;
import tolvin.core.key.PlainText;
import tolvin.core.key.PublicKey;
import tolvin.core.key.RefusedException;
import tolvin.core.port.HostKeyPort;
import tolvin.core.port.PortException;
import tolvin.service.destination.Access;
import tolvin.service.destination.HostKeyPins;
import tolvin.service.job.JobKind;
import tolvin.service.job.Jobs;
import tolvin.service.journal.Journal;
import tolvin.service.problem.Checks;
import tolvin.service.problem.Problem;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationRow;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.destination.HostKeyRow;
import tolvin.service.record.destination.HostKeySeenRow;
import tolvin.service.record.destination.KnownHostSupplyRow;
import tolvin.service.record.integration.SeatRow;
import tolvin.service.record.integration.SeatStore;
import tolvin.service.record.integration.TieRow;
import tolvin.service.store.ClockStore;

/**
 * The host keys of destinations: learned by looking, trusted once somebody compared them, changed
 * by announcement. One that comes unannounced stops the destination.
 *
 * <pre>
 *   seen ──compared──▶ trusted ──successor announced──▶ accepted until a date ──▶ gone
 *                        ▲
 *   announced ───────────┘ (accepted at once, beside the old one)
 * </pre>
 */
@ApplicationScoped
public class HostKeys {
  private final DestinationStore store;
  private final AccountStore accounts;
  private final SeatStore seats;
  private final HostKeyPort port;
  private final Access access;
  private final ClockStore clock;
  private final Journal journal;
  private final Jobs jobs;

  HostKeys(
      DestinationStore store,
      AccountStore accounts,
      SeatStore seats,
      HostKeyPort port,
      Access access,
      ClockStore clock,
      Journal journal,
      Jobs jobs) {
    this.store = store;
    this.accounts = accounts;
    this.seats = seats;
    this.port = port;
    this.access = access;
    this.clock = clock;
    this.journal = journal;
    this.jobs = jobs;
  }

  /** Looks which host keys are shown, and stops the destination if one was changed unannounced. */
  public void look(UUID id) throws PortException {
    DestinationRow at = inNewTransaction(() -> store.get(id));
    if (at.host.isEmpty()) {
      return;
    }
    HostKeyPort.Shown shown = port.look(at.host, at.port, inNewTransaction(() -> access.route(at)));
    inNewTransaction(
        () -> {
          record(id, shown);
          return null;
        });
  }

  private void record(UUID id, HostKeyPort.Shown shown) {
    DestinationRow at = store.lock(id);
    Instant now = clock.now();
    Map<String, HostKeySeenRow> seen = new LinkedHashMap<>();
    store.hostKeysSeen(id).forEach(row -> seen.put(row.fingerprint, row));
    List<HostKeyRow> trusted = store.hostKeys(id);
    boolean isCompared = trusted.isEmpty(); // nothing is done there then, but somebody looks
    for (PublicKey key : shown.hostKeys()) {
      HostKeySeenRow row = seen.get(key.fingerprintText());
      if (row == null) {
        row = new HostKeySeenRow();
        row.id = clock.id(now);
        row.destinationId = id;
        row.fingerprint = key.fingerprintText();
        row.blob = key.blob();
        row.firstSeenAt = now;
        row.seenAt = now;
        store.addHostKeySeen(row);
      }
      row.seenAt = now;
      boolean known = trusted.stream().anyMatch(t -> t.fingerprint.equals(key.fingerprintText()));
      boolean replaces = trusted.stream().anyMatch(t -> Access.key(t.blob).type() == key.type());
      isCompared |= known;
      if (!known && replaces) {
        stop(
            at,
            at.name
                + " shows another "
                + key.type().label()
                + " host key than the one that was compared: "
                + key.fingerprintText()
                + ". Nobody announced that.");
      }
    }
    if (isCompared && !shown.identification().isEmpty()) {
      at.identification = PlainText.shown(shown.identification());
    }
  }

  /** Stops everything on a destination, since its host key is not the pinned one. */
  @Transactional
  public void stop(UUID id, PortException why) {
    DestinationRow at = store.lock(id);
    boolean comparedMeanwhile =
        why.hostKeyShown()
            .filter(shown -> store.hostKeys(id).stream().anyMatch(k -> k.fingerprint.equals(shown)))
            .isPresent();
    if (!comparedMeanwhile) {
      stop(at, why.getMessage());
    }
  }

  /** What to do about it is the same, whoever came upon it. */
  private void stop(DestinationRow at, String found) {
    if (at.stoppedBecause == null) {
      at.stoppedBecause =
          found + " Ask its administrator, and only then: tolvin destination confirm.";
      journal.write(
          "destination.stopped", at.id, at.name + " stopped: " + at.stoppedBecause, Map.of());
    }
  }

  /** Trusts host keys that were looked at, by the fingerprints that somebody compared. */
  @Transactional
  public DestinationRow confirm(UUID id, List<String> fingerprints, String reason) {
    DestinationRow at = store.lock(id);
    String why = Checks.text(reason, "reason");
    List<HostKeySeenRow> seen = store.hostKeysSeen(id);
    if (fingerprints == null || fingerprints.isEmpty() || fingerprints.size() > 16) {
      throw Problem.invalid(
          "No fingerprint was given.", "Paste what its administrator reads out or sends.");
    }
    Instant now = clock.now();
    List<HostKeySeenRow> compared = new ArrayList<>();
    for (String text : fingerprints) {
      compared.add(
          seen.stream()
              .filter(row -> same(row, text))
              .findFirst()
              .orElseThrow(
                  () ->
                      Problem.conflict(
                          "host-key-differs",
                          "“"
                              + tolvin.core.key.PlainText.shown(text)
                              + "” is none of the host keys that "
                              + at.name
                              + " shows: "
                              + String.join(
                                  ", ", seen.stream().map(row -> row.fingerprint).toList())
                              + ".",
                          "Do not trust it. Look again, and ask its administrator.")));
    }
    for (HostKeySeenRow row : compared) {
      PublicKey key = Access.key(row.blob);
      for (HostKeyRow former : store.hostKeys(id)) {
        if (Access.key(former.blob).type() == key.type()
            && !former.fingerprint.equals(row.fingerprint)) {
          former.validUntil = now;
        }
      }
      store.flush();
      if (store.hostKeys(id).stream().noneMatch(h -> h.fingerprint.equals(row.fingerprint))) {
        trust(id, key, now, null);
      }
    }
    at.stoppedBecause = null;
    journal.write(
        "destination.host-key-confirmed",
        id,
        "Host keys of "
            + at.name
            + " compared: "
            + String.join(", ", compared.stream().map(c -> c.fingerprint).toList()),
        Map.of("reason", why));
    supplyClients(at, now);
    return at;
  }

  private static boolean same(HostKeySeenRow row, String text) {
    PublicKey key = Access.key(row.blob);
    String plain = String.valueOf(text).strip();
    Optional<FingerprintText> fingerprint = FingerprintText.read(plain);
    if (fingerprint.isPresent()) {
      String ours = fingerprint.get().same(key.fingerprint(), Fingerprint.md5(key.blob()));
      return fingerprint.get().against(ours).same();
    }
    try {
      return OneLine.read(plain).orRefuse().key().equals(key);
    } catch (RefusedException neither) {
      return false;
    }
  }

  /**
   * Takes in that host keys are going to change: the new ones are accepted from now on, the old
   * ones of the same types until a date, and the clients' files of known hosts get the new ones.
   */
  @Transactional
  public DestinationRow announce(UUID id, List<String> lines, Instant oldUntil, String reason) {
    DestinationRow at = store.lock(id);
    String why = Checks.text(reason, "reason");
    Instant now = clock.now();
    if (oldUntil == null || !oldUntil.isAfter(now)) {
      throw Problem.invalid(
          "It is not said until when the old host keys are accepted, or that is over already.",
          "Give a moment after the change, such as a day later.");
    }
    List<PublicKey> coming = HostKeyPins.read(lines);
    for (PublicKey key : coming) {
      for (HostKeyRow former : store.hostKeys(id)) {
        if (Access.key(former.blob).type() == key.type()
            && !former.fingerprint.equals(key.fingerprintText())) {
          former.acceptedUntil = oldUntil;
          jobs.wakeAt(JobKind.HOST_KEYS_END, JobKind.ALL, oldUntil);
        }
      }
      if (store.hostKeys(id).stream().noneMatch(h -> h.fingerprint.equals(key.fingerprintText()))) {
        trust(id, key, now, now);
      }
    }
    journal.write(
        "destination.host-key-announced",
        id,
        "Change of host keys of "
            + at.name
            + " announced; the old ones are accepted until "
            + oldUntil,
        Map.of("reason", why));
    supplyClients(at, now);
    return at;
  }

  private void trust(UUID id, PublicKey key, Instant now, Instant announcedAt) {
    HostKeyRow row = new HostKeyRow();
    row.id = clock.id(now);
    row.destinationId = id;
    row.fingerprint = key.fingerprintText();
    row.blob = key.blob();
    row.announcedAt = announcedAt;
    row.validFrom = now;
    store.addHostKey(row);
    store.flush();
  }

  /** Every client that signs in there is to know the host keys before it is shown them. */
  private void supplyClients(DestinationRow at, Instant now) {
    List<UUID> there = accounts.of(at.id).stream().map(a -> a.id).toList();
    List<String> lines =
        store.hostKeys(at.id).stream()
            .filter(h -> h.acceptedUntil == null)
            .map(h -> KnownHost.line(List.of(at.host), at.port, Access.key(h.blob)))
            .toList();
    List<KnownHostSupplyRow> former = store.supplies(at.id);
    for (UUID seatId :
        seats.tiesOfAccounts(there).stream().map((TieRow t) -> t.seatId).distinct().toList()) {
      SeatRow seat = seats.get(seatId);
      for (String line : lines) {
        if (former.stream().anyMatch(s -> s.seatId.equals(seatId) && s.line.equals(line))) {
          continue;
        }
        KnownHostSupplyRow row = new KnownHostSupplyRow();
        row.id = clock.id(now);
        row.destinationId = at.id;
        row.seatId = seatId;
        row.line = line;
        row.wantedAt = now;
        boolean reached = seat.destinationId != null && seat.kind.isEmpty();
        row.reason = reached ? null : "Tolvin does not reach its file of known hosts; by hand.";
        store.addSupply(row);
        if (reached) {
          jobs.add(JobKind.KNOWN_HOST, row.id, now);
        }
      }
    }
  }

  /**
   * Host keys whose time is over are accepted no more.
   *
   * @return after which time the next one ends; empty if none does
   */
  @Transactional
  Optional<Duration> endOutdated() {
    Instant now = clock.now();
    for (HostKeyRow row : store.outdatedHostKeys(now)) {
      row.validUntil = now;
      journal.write(
          "destination.host-key-ended",
          row.destinationId,
          "Host key " + row.fingerprint + " of " + store.get(row.destinationId).name + " ended",
          Map.of());
    }
    return store.nextHostKeyEnd(now).map(end -> Duration.between(now, end));
  }
}
