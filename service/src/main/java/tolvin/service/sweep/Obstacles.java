package tolvin.service.sweep;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.util.List;
import java.util.Optional;
import tolvin.core.estate.Dependence;
import tolvin.core.sweep.Deed;
import tolvin.core.sweep.FindingKind;
import tolvin.service.destination.AccountRow;
import tolvin.service.destination.AccountStore;
import tolvin.service.destination.FeedStore;
import tolvin.service.destination.UseRow;
import tolvin.service.key.KeyRow;
import tolvin.service.key.KeyStore;
import tolvin.service.rotation.Pictures;
import tolvin.service.store.ClockStore;

/** What stands in the way of settling a finding: above all, that somebody would be broken by it. */
@ApplicationScoped
class Obstacles {
  private static final Duration USED_LATELY = Duration.ofDays(90);

  private final AccountStore accounts;
  private final KeyStore keys;
  private final Adoption adoption;
  private final FeedStore feeds;
  private final Pictures pictures;
  private final SeatRepairs seatRepairs;
  private final Entries entries;
  private final ClockStore clock;

  Obstacles(
      AccountStore accounts,
      KeyStore keys,
      Adoption adoption,
      FeedStore feeds,
      Pictures pictures,
      SeatRepairs seatRepairs,
      Entries entries,
      ClockStore clock) {
    this.accounts = accounts;
    this.keys = keys;
    this.adoption = adoption;
    this.feeds = feeds;
    this.pictures = pictures;
    this.seatRepairs = seatRepairs;
    this.entries = entries;
    this.clock = clock;
  }

  /** Why a finding cannot be settled so; empty if it can. */
  Optional<String> to(FindingRow row, Deed deed, Findings.Settling settling) {
    FindingKind kind = row.kind();
    if (row.settledAt != null) {
      return settledAlready(row);
    }
    if (!kind.deeds().contains(deed)) {
      return Optional.of("“" + kind.title() + "” cannot be settled so. " + kind.wayOut());
    }
    if (kind.isOfSeats() && deed != Deed.ACCEPT) {
      return seatRepairs.obstacle(row);
    }
    return switch (deed) {
      case ACCEPT ->
          settling.until() == null || !settling.until().isAfter(clock.now())
              ? Optional.of("Accepting ends at some date: give one that lies ahead.")
              : Optional.empty();
      case WITHDRAW -> toWithdrawal(row, settling);
      case ADOPT ->
          kind == FindingKind.NO_OWNER && adoption.whose(row, settling).isEmpty()
              ? Optional.of(
                  "Say whose the key is; its comment suggests nobody, or nobody asked it.")
              : Optional.empty();
      case PUT_BACK ->
          accounts.get(row.accountId).keptBy.equals("source")
              ? Optional.of("That account is kept by another source; have it put back there.")
              : Optional.empty();
    };
  }

  private Optional<String> toWithdrawal(FindingRow row, Findings.Settling settling) {
    AccountRow account = accounts.get(row.accountId);
    if (row.kind() == FindingKind.DUPLICATE && !account.keptBy.equals("source")) {
      Optional<String> loss = entries.loss(row);
      if (loss.isEmpty() || Boolean.TRUE.equals(settling.evenIfUsed())) {
        return Optional.empty(); // one entry stays, and lets in whoever the others let in
      }
      return Optional.of(
          loss.get()
              + used(row)
                  .map(u -> "It was used at " + u.latest + " from " + u.address + ". ")
                  .orElse("It was not seen in use lately. ")
              + "Ask who uses it, or say that it is to be done even if it is used.");
    }
    if (account.keptBy.equals("source")) {
      return Optional.of(
          account.login
              + " is kept by another source ("
              + account.keptSource
              + "); have it taken out there.");
    }
    Optional<KeyRow> known = keys.live(row.fingerprint);
    if (known.isPresent()) {
      List<String> broken =
          pictures.dependences(known.get().id).stream()
              .filter(d -> d.tie().account().value().equals(row.accountId))
              .filter(Dependence::breaks)
              .map(d -> d.tie().name())
              .toList();
      if (!broken.isEmpty()) {
        return Optional.of(
            "Without it these could not sign in any more: "
                + String.join(", ", broken)
                + ". Rotate the key instead.");
      }
    }
    Optional<UseRow> used = used(row);
    if (used.isPresent() && !Boolean.TRUE.equals(settling.evenIfUsed())) {
      return Optional.of(
          "It was used at "
              + used.get().latest
              + " from "
              + used.get().address
              + ": whoever that is could not sign in any more. Find out who, or say that it is to be"
              + " withdrawn even if used.");
    }
    return Optional.empty();
  }

  private Optional<UseRow> used(FindingRow row) {
    return feeds.uses(List.of(row.accountId)).stream()
        .filter(u -> u.fingerprint.equals(row.fingerprint))
        .filter(u -> u.latest.isAfter(clock.now().minus(USED_LATELY)))
        .findFirst();
  }

  static Optional<String> settledAlready(FindingRow row) {
    return row.settledAt == null ? Optional.empty() : Optional.of("It is settled already.");
  }
}
