package tolvin.service.usage;

import java.time.Instant;
import java.util.Collection;
import java.util.HashMap;
import java.util.Map;
import java.util.UUID;
import tolvin.service.record.usage.FeedStore;
import tolvin.service.record.usage.UseRow;

/**
 * The uses on record that something read may concern: asked for together, not one by one, and found
 * again when they were added a moment ago.
 */
final class UseBook {
  private record Which(UUID account, String fingerprint, String address) {}

  private final FeedStore feeds;
  private final boolean readIn;
  private final Map<Which, UseRow> rows = new HashMap<>();

  UseBook(FeedStore feeds) {
    this(feeds, false);
  }

  /**
   * Of one kind of uses.
   *
   * @param readIn those that a person read in, or the others
   */
  UseBook(FeedStore feeds, boolean readIn) {
    this.feeds = feeds;
    this.readIn = readIn;
  }

  /** Opens it at the uses of some keys on some accounts. */
  void open(Collection<UUID> accounts, Collection<String> fingerprints) {
    feeds.usesOf(accounts, fingerprints).stream()
        .filter(u -> u.readIn == readIn)
        .forEach(u -> rows.put(new Which(u.accountId, u.fingerprint, u.address), u));
  }

  /**
   * The uses of a key on an account from an address, where it was opened at; new ones, used at no
   * time yet, if there are none.
   *
   * @param id the new one's
   */
  UseRow findOrNew(UUID id, UUID account, String fingerprint, String address, Instant firstAt) {
    return rows.computeIfAbsent(
        new Which(account, fingerprint, address),
        which -> {
          UseRow row = new UseRow();
          row.id = id;
          row.accountId = account;
          row.fingerprint = fingerprint;
          row.address = address;
          row.readIn = readIn;
          row.firstAt = firstAt;
          row.earliest = Instant.EPOCH;
          row.latest = Instant.EPOCH;
          return feeds.add(row);
        });
  }
}
