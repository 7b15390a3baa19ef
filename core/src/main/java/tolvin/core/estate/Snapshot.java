package tolvin.core.estate;

import java.time.Duration;
import java.time.Instant;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.UUID;
import java.util.stream.Stream;
import tolvin.core.key.Fingerprint;

/**
 * All that is known of the part of the world that one rotation touches, with the time of each piece
 * of evidence.
 *
 * @param now the moment at which it was put together
 * @param accounts by id
 * @param seats by id
 * @param ties every tie of those accounts and seats
 * @param uses the last use of each key on each account from each address, Tolvin's own left out
 * @param proofs Tolvin's own sign-ins that succeeded, the last one for each account and key
 * @param seatProofs trials that seats made themselves and that succeeded
 * @param freezes the freezes that touch these accounts
 * @param promisedElsewhere keys that another rotation is going to withdraw
 * @param unsettled the accounts and seats on which a change may still land whose answer never came,
 *     each with the moment since when; nothing may rest on them until that is impossible
 */
public record Snapshot(
    Instant now,
    Map<AccountId, Account> accounts,
    Map<SeatId, Seat> seats,
    List<Tie> ties,
    List<Use> uses,
    List<AccountProof> proofs,
    List<SeatProof> seatProofs,
    List<Freeze> freezes,
    Set<Fingerprint> promisedElsewhere,
    Map<UUID, Instant> unsettled) {

  /** How old a reading may be when something is taken away on its word. */
  private static final Duration FRESH = Duration.ofSeconds(30);

  /** Copies what can be copied. */
  public Snapshot {
    accounts = Map.copyOf(accounts);
    seats = Map.copyOf(seats);
    ties = List.copyOf(ties);
    uses = List.copyOf(uses);
    proofs = List.copyOf(proofs);
    seatProofs = List.copyOf(seatProofs);
    freezes = List.copyOf(freezes);
    promisedElsewhere = Set.copyOf(promisedElsewhere);
    unsettled = Map.copyOf(unsettled);
  }

  /** Whether something was read so lately that a change may rest on it. */
  public boolean isFresh(Optional<Instant> readAt) {
    return readAt.isPresent() && !readAt.get().plus(FRESH).isBefore(now);
  }

  /** The accounts in a stable order. */
  public List<Account> accountList() {
    return accounts.values().stream().sorted(Comparator.comparing(a -> a.id().value())).toList();
  }

  /** The seats in a stable order. */
  public List<Seat> seatList() {
    return seats.values().stream().sorted(Comparator.comparing(s -> s.id().value())).toList();
  }

  /** The ties of one account. */
  public List<Tie> tiesOf(AccountId account) {
    return ties.stream().filter(tie -> tie.account().equals(account)).toList();
  }

  /** The ties of one seat. */
  public List<Tie> tiesOf(SeatId seat) {
    return ties.stream().filter(tie -> tie.seat().equals(seat)).toList();
  }

  /**
   * The seat proof of a tie: its own trial, or a use of the key on the tie's account from the
   * seat's address, that certainly came after the seat began to offer what it offers now.
   *
   * @return when it was, at the earliest
   */
  public Optional<Instant> seatProof(Tie tie, Fingerprint key) {
    Instant since = seats.get(tie.seat()).offersSince();
    return Stream.concat(
            uses.stream()
                .filter(use -> use.account().equals(tie.account()) && use.key().equals(key))
                .filter(use -> use.address().equals(tie.address()) && !use.readIn())
                .map(Use::earliest),
            seatProofs.stream()
                .filter(proof -> proof.tie().equals(tie.id()) && proof.key().equals(key))
                .map(SeatProof::at))
        .filter(at -> !at.isBefore(since))
        .findFirst();
  }

  /** Whether a file that somebody read in says what would be a seat proof if Tolvin had seen it. */
  public boolean isSaidToBeProven(Tie tie, Fingerprint key) {
    Instant since = seats.get(tie.seat()).offersSince();
    return uses.stream()
        .filter(use -> use.account().equals(tie.account()) && use.key().equals(key))
        .filter(use -> use.address().equals(tie.address()) && use.readIn())
        .anyMatch(use -> !use.earliest().isBefore(since));
  }

  /** Tolvin's own last successful sign-in on an account with a key. */
  public Optional<AccountProof> accountProof(AccountId account, Fingerprint key) {
    return proofs.stream()
        .filter(proof -> proof.account().equals(account) && proof.key().equals(key))
        .max(Comparator.comparing(AccountProof::at));
  }

  /** The last use of a key on an account, from wherever. */
  public Optional<Use> lastUse(AccountId account, Fingerprint key) {
    return uses.stream()
        .filter(use -> use.account().equals(account) && use.key().equals(key))
        .max(Comparator.comparing(Use::latest));
  }
}
