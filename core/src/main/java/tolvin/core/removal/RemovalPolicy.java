package tolvin.core.removal;

import java.time.Duration;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.UUID;
import java.util.stream.Stream;
import tolvin.core.estate.Account;
import tolvin.core.estate.Dependence;
import tolvin.core.estate.Seat;
import tolvin.core.estate.Snapshot;
import tolvin.core.estate.Tie;
import tolvin.core.estate.Use;
import tolvin.core.key.Fingerprint;

/**
 * Whether keys may stop working on an account now: asked when it is planned, and once more on a
 * fresh reading right before the effect.
 *
 * <ol>
 *   <li>No client that is on record may be left without a key that it offers and that the account
 *       accepts. A key that another door or another rotation is about to take away counts as gone.
 *   <li>A use in the last 90 days counts as a client, even where none is on record, unless it was
 *       seen later with another key that stays.
 *   <li>Nothing rests on an account or a seat on which a change may still land.
 *   <li>Right before the effect, nothing rests on a reading that is not {@linkplain
 *       Snapshot#isFresh fresh}.
 * </ol>
 */
public final class RemovalPolicy {
  /** How long a use counts as a client. */
  public static final Duration USED_LATELY = Duration.ofDays(90);

  private RemovalPolicy() {}

  /** What stands against a removal by what is known; nothing if it may be planned. */
  public static List<Loss> whenPlanned(Removal removal, Snapshot snapshot) {
    Account account = snapshot.accounts().get(removal.account());
    List<Loss> losses = new ArrayList<>();
    if (account.stopped().isPresent()) {
      losses.add(new Loss.Stopped(account));
    }
    unsettled(account, snapshot).ifPresent(losses::add);
    List<Dependence> dependences = Dependence.on(removal.keys(), account.id(), snapshot);
    dependences.stream()
        .filter(Dependence::breaks)
        .map(dependence -> new Loss.Breaks(dependence.tie()))
        .forEach(losses::add);
    for (Fingerprint key : removal.keys()) {
      used(account, key, removal, dependences, snapshot).ifPresent(losses::add);
    }
    return List.copyOf(losses);
  }

  /** Likewise right before the effect: what it rests on was just read. */
  public static List<Loss> beforeEffect(Removal removal, Snapshot snapshot) {
    Account account = snapshot.accounts().get(removal.account());
    Stream<Loss> unread =
        Stream.concat(
                Stream.of(account)
                    .filter(a -> !snapshot.isFresh(a.readAt()))
                    .map(a -> (Loss) new Loss.NotReadLately(a.name())),
                seats(account, snapshot)
                    .filter(seat -> !snapshot.isFresh(seat.readAt()))
                    .map(seat -> (Loss) new Loss.NotReadLately(seat.name())))
            .distinct();
    return Stream.concat(unread, whenPlanned(removal, snapshot).stream()).toList();
  }

  private static Stream<Seat> seats(Account account, Snapshot snapshot) {
    return snapshot.tiesOf(account.id()).stream()
        .map(Tie::seat)
        .distinct()
        .map(snapshot.seats()::get)
        .sorted(Comparator.comparing(seat -> seat.id().value()));
  }

  private static Optional<Loss> unsettled(Account account, Snapshot snapshot) {
    return Stream.concat(
            Stream.of(one(account.id().value(), account.name(), snapshot)),
            seats(account, snapshot).map(s -> one(s.id().value(), s.name(), snapshot)))
        .flatMap(Optional::stream)
        .findFirst();
  }

  private static Optional<Loss> one(UUID id, String name, Snapshot snapshot) {
    return Optional.ofNullable(snapshot.unsettled().get(id))
        .map(since -> new Loss.Unsettled(name, since));
  }

  /**
   * What else than clients on record would stop without a key: for each account and address the
   * last use by somebody who was not seen to go on with another key, the latest first.
   */
  public static List<Use> unrecorded(Fingerprint key, Snapshot snapshot) {
    return snapshot.accountList().stream()
        .flatMap(
            account -> {
              Removal removal = new Removal(account.id(), Set.of(key), Removal.Door.WITHDRAWAL);
              List<Dependence> dependences = Dependence.on(removal.keys(), account.id(), snapshot);
              return unrecorded(account, key, removal, dependences, snapshot);
            })
        .sorted(Comparator.comparing(Use::latest).reversed())
        .toList();
  }

  private static Optional<Loss> used(
      Account account,
      Fingerprint key,
      Removal removal,
      List<Dependence> dependences,
      Snapshot snapshot) {
    return unrecorded(account, key, removal, dependences, snapshot)
        .max(Comparator.comparing(Use::latest))
        .map(Loss.UsedLately::new);
  }

  private static Stream<Use> unrecorded(
      Account account,
      Fingerprint key,
      Removal removal,
      List<Dependence> dependences,
      Snapshot snapshot) {
    return snapshot.uses().stream()
        .filter(use -> use.account().equals(account.id()) && use.key().equals(key))
        .filter(use -> use.latest().plus(USED_LATELY).isAfter(snapshot.now()))
        .filter(use -> !isOnRecord(use, account, dependences, snapshot))
        .filter(use -> !wentOn(use, account, removal, snapshot));
  }

  /**
   * A client that is on record is judged as such: one that needs the key, or one that offers
   * another since. A use that came after its client had begun to offer another was somebody else.
   */
  private static boolean isOnRecord(
      Use use, Account account, List<Dependence> dependences, Snapshot snapshot) {
    return snapshot.tiesOf(account.id()).stream()
        .filter(tie -> tie.address().equals(use.address()))
        .anyMatch(
            tie ->
                dependences.stream().anyMatch(d -> d.tie().id().equals(tie.id()))
                    || !use.earliest().isAfter(snapshot.seats().get(tie.seat()).offersSince()));
  }

  private static boolean wentOn(Use use, Account account, Removal removal, Snapshot snapshot) {
    return !use.address().equals(Use.NOT_SAID)
        && snapshot.uses().stream()
            .filter(other -> other.account().equals(account.id()) && !other.readIn())
            .filter(other -> other.address().equals(use.address()))
            .filter(other -> !removal.keys().contains(other.key()))
            .filter(other -> other.earliest().isAfter(use.latest()))
            .anyMatch(other -> stays(other.key(), account, snapshot));
  }

  private static boolean stays(Fingerprint key, Account account, Snapshot snapshot) {
    return account.accepts(key, snapshot.now()).isPresent()
        && !account.losses().leaving().contains(key)
        && !snapshot.promisedElsewhere().contains(key);
  }
}
