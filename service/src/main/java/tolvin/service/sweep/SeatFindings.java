package tolvin.service.sweep;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.enterprise.event.Observes;
import jakarta.transaction.Transactional;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.UUID;
import tolvin.core.key.Fingerprint;
import tolvin.core.sweep.Finding;
import tolvin.core.sweep.FindingKind;
import tolvin.core.sweep.Severity;
import tolvin.service.journal.Journal;
import tolvin.service.look.SeatState;
import tolvin.service.record.sweep.FindingRow;
import tolvin.service.record.sweep.FindingStore;
import tolvin.service.store.ClockStore;

/** Keeps what readings of seats find: clients that cannot sign in, private keys that lie about. */
@ApplicationScoped
class SeatFindings {
  private final FindingStore store;
  private final ClockStore clock;
  private final Journal journal;

  SeatFindings(FindingStore store, ClockStore clock, Journal journal) {
    this.store = store;
    this.clock = clock;
    this.journal = journal;
  }

  private record About(UUID account, UUID destination, Finding finding) {}

  /** A seat was read again. */
  @Transactional(Transactional.TxType.MANDATORY)
  void take(@Observes SeatState state) {
    Instant now = clock.now();
    Set<FindingRow> left = new HashSet<>(store.unsettledOfSeat(state.seat()));
    for (About about : found(state)) {
      Finding finding = about.finding();
      Optional<FindingRow> known =
          left.stream()
              .filter(f -> f.kind == finding.kind() && f.subject.equals(finding.subject()))
              .findFirst();
      known.ifPresent(left::remove);
      FindingRow row = known.orElseGet(() -> fresh(about, now));
      row.seenAt = now;
      row.say(finding);
      if (known.isEmpty()) {
        store.add(row);
        journal.tell("finding.found", row.id, row.sentence);
      }
    }
    for (FindingRow gone : left) {
      gone.settledAt = now;
      gone.settledBy = Sweeps.GONE;
    }
  }

  private static List<About> found(SeatState state) {
    List<About> found = new ArrayList<>();
    for (SeatState.Refused refused : state.refused()) {
      String offered = String.join(", ", refused.offered());
      found.add(
          new About(
              refused.account(),
              refused.destination(),
              new Finding(
                  FindingKind.SEAT_REFUSED,
                  state.seat() + " " + refused.account(),
                  Optional.of(new Fingerprint(refused.offered().get(0))),
                  Severity.CRITICAL,
                  refused.tie() + " cannot sign in: " + state.name() + " offers no accepted key.",
                  "offered: " + offered)));
    }
    for (String key : state.left()) {
      found.add(
          new About(
              null,
              state.host(),
              new Finding(
                  FindingKind.LEFT_PRIVATE_KEY,
                  state.seat() + " " + key,
                  Optional.of(new Fingerprint(key)),
                  Severity.MAJOR,
                  "A private key lies beside " + state.name() + ", and no rotation needs it.",
                  "its public key: " + key)));
    }
    return found;
  }

  private FindingRow fresh(About about, Instant now) {
    FindingRow row = new FindingRow();
    row.id = clock.id(now);
    row.destinationId = about.destination();
    row.accountId = about.account();
    row.kind = about.finding().kind();
    row.subject = about.finding().subject();
    row.firstSeenAt = now;
    Map<String, Integer> before =
        store.settledBefore(
            about.destination(), about.account() == null ? Set.of() : Set.of(about.account()));
    row.cameBack =
        before.getOrDefault(FindingStore.matter(about.account(), row.kind, row.subject), 0);
    return row;
  }
}
