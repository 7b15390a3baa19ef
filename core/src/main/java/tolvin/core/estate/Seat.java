package tolvin.core.estate;

import java.time.Instant;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import tolvin.core.key.Fingerprint;

/**
 * What is known of a seat: one place where an integration keeps private keys.
 *
 * @param id its id
 * @param name for sentences
 * @param offers the keys that it offers when it signs in, in order
 * @param keeps the keys that lie beside, not offered, so that rolling back needs nothing from
 *     outside
 * @param readAt when it was last read; empty if never
 * @param offersSince from when on what it offers now is in effect
 * @param everOffered all keys that it may have offered at some time
 * @param stopped why nothing may be done there now; empty if it may
 * @param triesItself whether it can be asked to sign in, so that its proof need not be waited for
 * @param keepsFormer whether it keeps the former private key beside, so that rolling back needs
 *     nothing from outside
 * @param reload whether its client has to be told, reloaded or restarted first, and was
 * @param fallsBack whether its client goes on to the next key after a refusal; without that only
 *     the first one counts
 */
public record Seat(
    SeatId id,
    String name,
    List<Fingerprint> offers,
    Set<Fingerprint> keeps,
    Optional<Instant> readAt,
    Instant offersSince,
    Set<Fingerprint> everOffered,
    Optional<String> stopped,
    boolean triesItself,
    boolean keepsFormer,
    Reload reload,
    boolean fallsBack) {

  /** Whether its client has to be told before what it offers takes effect. */
  public enum Reload {
    /** It takes effect at the next sign-in by itself. */
    NOT_NEEDED,
    /** It was told of what it offers now. */
    DONE,
    /** It still has to be told. */
    DUE
  }

  /** A file: it waits for its integration's next run, and keeps the former one beside. */
  public Seat(
      SeatId id,
      String name,
      List<Fingerprint> offers,
      Set<Fingerprint> keeps,
      Optional<Instant> readAt,
      Instant offersSince,
      Set<Fingerprint> everOffered,
      Optional<String> stopped) {
    this(
        id,
        name,
        offers,
        keeps,
        readAt,
        offersSince,
        everOffered,
        stopped,
        false,
        true,
        Reload.NOT_NEEDED,
        true);
  }

  /** The key that it signs in with on an account: the first that is accepted; empty if none is. */
  public Optional<Fingerprint> signsInWith(Account account, Instant now) {
    return offers.stream()
        .limit(fallsBack ? offers.size() : 1)
        .filter(key -> account.accepts(key, now).isPresent())
        .findFirst();
  }

  /** Copies what can be copied. */
  public Seat {
    offers = List.copyOf(offers);
    keeps = Set.copyOf(keeps);
    everOffered = Set.copyOf(everOffered);
  }
}
