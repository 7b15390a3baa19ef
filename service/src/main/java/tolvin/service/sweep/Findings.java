package tolvin.service.sweep;

import static tolvin.service.store.Transactions.inside;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import tolvin.core.estate.Dependence;
import tolvin.core.estate.Registered;
import tolvin.core.port.AccountPort;
import tolvin.core.port.Lease;
import tolvin.core.port.Place;
import tolvin.core.port.PortException;
import tolvin.core.sweep.Deed;
import tolvin.core.sweep.FindingKind;
import tolvin.service.destination.Access;
import tolvin.service.destination.AccountRow;
import tolvin.service.destination.AccountStore;
import tolvin.service.destination.DestinationStore;
import tolvin.service.destination.FeedStore;
import tolvin.service.destination.UseRow;
import tolvin.service.identity.IdentityRow;
import tolvin.service.identity.IdentityStore;
import tolvin.service.journal.Journal;
import tolvin.service.key.KeyRow;
import tolvin.service.key.KeyStore;
import tolvin.service.placement.PlacementRow;
import tolvin.service.placement.PlacementStore;
import tolvin.service.placement.Placements;
import tolvin.service.rotation.Edits;
import tolvin.service.rotation.Pictures;
import tolvin.service.rotation.Runner;
import tolvin.service.store.ClockStore;
import tolvin.service.web.Checks;
import tolvin.service.web.Problem;

/** Settles findings, each by its deed; what would break somebody is refused. */
@ApplicationScoped
public class Findings {
  private static final int MOST = 500;
  private static final List<String> CUSTODIES = List.of("machine", "device", "module", "elsewhere");

  private final FindingStore store;
  private final AccountStore accounts;
  private final DestinationStore destinations;
  private final KeyStore keys;
  private final IdentityStore identities;
  private final PlacementStore placements;
  private final Placements newPlacements;
  private final Adoption adoption;
  private final FeedStore feeds;
  private final Pictures pictures;
  private final Runner runner;
  private final AccountPort accountPort;
  private final Access access;
  private final Edits edits;
  private final ClockStore clock;
  private final Journal journal;

  Findings(
      FindingStore store,
      AccountStore accounts,
      DestinationStore destinations,
      KeyStore keys,
      IdentityStore identities,
      PlacementStore placements,
      Placements newPlacements,
      Adoption adoption,
      FeedStore feeds,
      Pictures pictures,
      Runner runner,
      AccountPort accountPort,
      Access access,
      Edits edits,
      ClockStore clock,
      Journal journal) {
    this.store = store;
    this.accounts = accounts;
    this.destinations = destinations;
    this.keys = keys;
    this.identities = identities;
    this.placements = placements;
    this.newPlacements = newPlacements;
    this.adoption = adoption;
    this.feeds = feeds;
    this.pictures = pictures;
    this.runner = runner;
    this.accountPort = accountPort;
    this.access = access;
    this.edits = edits;
    this.clock = clock;
    this.journal = journal;
  }

  /**
   * How findings are to be settled.
   *
   * @param deed adopt, put-back, withdraw or accept
   * @param ids which
   * @param identityId whose the key is, for adopting; absent if nobody knows
   * @param bySuggestion whether each key goes to whom its comment suggests, where it suggests one
   * @param custody how the private half is kept, for adopting; elsewhere if absent
   * @param until until when it is accepted
   * @param reason why, for the journal
   * @param ticket a ticket number, for the journal
   * @param evenIfUsed whether a key that was used lately may be withdrawn all the same
   */
  public record Settling(
      String deed,
      List<UUID> ids,
      UUID identityId,
      Boolean bySuggestion,
      String custody,
      Instant until,
      String reason,
      String ticket,
      Boolean evenIfUsed) {}

  /**
   * What a deed does, or why it cannot.
   *
   * @param id the finding
   * @param possible whether it can be done
   * @param sentence what it does, or what stands in its way
   */
  public record Step(UUID id, boolean possible, String sentence) {}

  /** What settling would do, without doing it. */
  @Transactional
  public List<Step> preview(Settling settling) {
    Deed deed = deed(settling);
    List<Step> steps = new ArrayList<>();
    for (FindingRow row : asked(settling)) {
      Optional<String> refused = refuses(row, deed, settling);
      steps.add(
          new Step(
              row.id, refused.isEmpty(), refused.orElseGet(() -> sentence(row, deed, settling))));
    }
    return steps;
  }

  /** Settles what can be settled, one after the other; the rest says why not. */
  public List<Step> settle(Settling settling) {
    Deed deed = deed(settling);
    Checks.text(settling.reason(), "reason");
    List<Step> steps = new ArrayList<>();
    for (Step step : preview(settling)) {
      if (!step.possible()) {
        steps.add(step);
        continue;
      }
      try {
        FindingRow found = inside(() -> store.get(step.id()));
        if (deed == Deed.PUT_BACK && found.kind.equals(CHANGED)) {
          edit(found);
        } else if (deed == Deed.WITHDRAW && !inside(() -> beside(found)).isEmpty()) {
          edit(found);
        }
        steps.add(inside(() -> settle(step, deed, settling)));
      } catch (PortException e) {
        steps.add(new Step(step.id(), false, e.whole()));
      } catch (Problem e) {
        steps.add(new Step(step.id(), false, e.getMessage()));
      }
    }
    runner.wake();
    return steps;
  }

  private static final String CHANGED = FindingKind.CHANGED.word();

  private static Deed deed(Settling settling) {
    for (Deed deed : Deed.values()) {
      if (deed.word().equals(settling.deed())) {
        return deed;
      }
    }
    throw Problem.invalid(
        "The deed must be one of: adopt, put-back, withdraw, accept.", "Choose one of them.");
  }

  private List<FindingRow> asked(Settling settling) {
    if (settling.ids() == null || settling.ids().isEmpty() || settling.ids().size() > MOST) {
      throw Problem.invalid("Name the findings, at most " + MOST + " at once.", "Give their ids.");
    }
    if (settling.custody() != null) {
      Checks.oneOf(settling.custody(), CUSTODIES, "custody");
    }
    List<FindingRow> rows = store.byIds(settling.ids());
    if (rows.size() < settling.ids().stream().distinct().count()) {
      throw Problem.notFound("finding", "one of those");
    }
    return rows;
  }

  private Optional<String> refuses(FindingRow row, Deed deed, Settling settling) {
    FindingKind kind = kind(row);
    if (row.settledAt != null) {
      return settledAlready(row);
    }
    if (!kind.deeds().contains(deed)) {
      return Optional.of("“" + kind.title() + "” cannot be settled so. " + kind.wayOut());
    }
    return switch (deed) {
      case ACCEPT ->
          settling.until() == null || !settling.until().isAfter(clock.now())
              ? Optional.of("Accepting ends at some date: give one that lies ahead.")
              : Optional.empty();
      case WITHDRAW -> refusesWithdrawal(row, settling);
      case ADOPT ->
          kind == FindingKind.NO_OWNER && identity(row, settling).isEmpty()
              ? Optional.of(
                  "Say whose the key is; its comment suggests nobody, or nobody asked it.")
              : Optional.empty();
      case PUT_BACK ->
          accounts.get(row.accountId).keptBy.equals("source")
              ? Optional.of("That account is kept by another source; have it put back there.")
              : Optional.empty();
    };
  }

  private Optional<String> refusesWithdrawal(FindingRow row, Settling settling) {
    AccountRow account = accounts.get(row.accountId);
    if (row.kind.equals(FindingKind.DUPLICATE.word()) && !account.keptBy.equals("source")) {
      return Optional.empty(); // one entry stays
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
    Optional<UseRow> used =
        feeds.uses(List.of(row.accountId)).stream()
            .filter(u -> u.fingerprint.equals(row.fingerprint))
            .filter(u -> u.latest.isAfter(clock.now().minus(java.time.Duration.ofDays(90))))
            .findFirst();
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

  private String sentence(FindingRow row, Deed deed, Settling settling) {
    String where = row.accountId == null ? "" : " on " + name(row.accountId);
    String key = row.fingerprint == null ? "" : brief(row.fingerprint);
    return switch (deed) {
      case ACCEPT -> "Leaves it as it is until " + settling.until() + ".";
      case WITHDRAW ->
          row.kind.equals(FindingKind.DUPLICATE.word())
              ? "Leaves one entry of "
                  + key
                  + where
                  + (placed(row).isPresent() ? ", the agreed one." : ", the first one.")
              : "Takes " + key + " out" + where + ".";
      case ADOPT ->
          kind(row) == FindingKind.CHANGED
              ? "Takes the entry of " + key + where + " into the books as it stands there now."
              : "Takes "
                  + key
                  + where
                  + " into the books, as a key of "
                  + identity(row, settling).map(i -> i.name).orElse("nobody yet")
                  + ".";
      case PUT_BACK ->
          row.kind.equals(CHANGED)
              ? "Puts the agreed entry of " + key + where + " in the place of the one there."
              : "Places " + key + where + " again, with a mark of its own.";
    };
  }

  private Optional<IdentityRow> identity(FindingRow row, Settling settling) {
    if (settling.identityId() != null) {
      return Optional.of(identities.get(settling.identityId()));
    }
    return Boolean.TRUE.equals(settling.bySuggestion())
        ? adoption.suggestion(row.evidence)
        : Optional.empty();
  }

  /**
   * Outside of any transaction: leaves one entry of a key, the agreed one or the first, in the
   * place of all that stand there; in one change, so that the key is registered at every moment.
   */
  private void edit(FindingRow row) throws PortException {
    AccountRow account = inside(() -> accounts.get(row.accountId));
    List<String> there = lines(account, row.fingerprint);
    Optional<PlacementRow> placement = inside(() -> placed(row));
    if (placement.isEmpty() && there.isEmpty()) {
      throw Problem.conflict("gone", "It does not stand there any more.", "Sweep again.");
    }
    AccountPort.Entry entry =
        placement.isPresent()
            ? inside(() -> newPlacements.entry(placement.get()))
            : adoption.entry(there.get(0));
    Place where = inside(() -> access.account(account));
    edits.edit(
        account.id,
        "Leave one entry of " + brief(row.fingerprint) + " on " + inside(() -> name(account.id)),
        lease -> {
          if (where instanceof Place.OnSystem) {
            return withdrawn(where, there, entry, lease);
          }
          return accountPort.replace(where, there, entry, lease);
        });
  }

  /**
   * Where nothing can be replaced in one step, the others go one by one beside the one that stays.
   */
  private List<Registered> withdrawn(
      Place where, List<String> there, AccountPort.Entry stays, Lease lease) throws PortException {
    if (!there.contains(stays.line())) {
      return accountPort.replace(where, there, stays, lease); // says that it cannot
    }
    List<Registered> after = accountPort.read(where);
    for (String line : there.stream().distinct().toList()) {
      if (!line.equals(stays.line())) {
        after = accountPort.withdraw(where, adoption.entry(line), lease);
      }
    }
    return after;
  }

  /** The entries of a finding's key that stand beside the agreed one, or beside the first. */
  private List<String> beside(FindingRow row) {
    List<String> lines = new ArrayList<>(lines(accounts.get(row.accountId), row.fingerprint));
    lines.remove(placed(row).map(p -> p.line).orElse(lines.isEmpty() ? "" : lines.get(0)));
    return lines;
  }

  private Optional<PlacementRow> placed(FindingRow row) {
    return keys.live(row.fingerprint).flatMap(k -> placements.live(k.id, row.accountId));
  }

  private static List<String> lines(AccountRow account, String fingerprint) {
    return account.registered.stream()
        .filter(r -> r.key().equals(fingerprint))
        .map(AccountRow.Entry::line)
        .toList();
  }

  private static String line(AccountRow account, FindingRow row) {
    return lines(account, row.fingerprint).stream()
        .findFirst()
        .orElseThrow(
            () ->
                Problem.conflict(
                    "gone", "It does not stand there any more.", "Sweep the destination again."));
  }

  /** Asked once more under a lock: somebody else may have settled it meanwhile. */
  private Step settle(Step step, Deed deed, Settling settling) {
    FindingRow row = store.lock(step.id());
    Optional<String> refused =
        deed == Deed.WITHDRAW ? settledAlready(row) : refuses(row, deed, settling);
    if (refused.isPresent()) {
      return new Step(row.id, false, refused.get());
    }
    settle(row, deed, settling);
    return step;
  }

  private static Optional<String> settledAlready(FindingRow row) {
    return row.settledAt == null ? Optional.empty() : Optional.of("It is settled already.");
  }

  private void settle(FindingRow row, Deed deed, Settling settling) {
    Instant now = clock.now();
    if (deed == Deed.ACCEPT) {
      row.acceptedUntil = settling.until();
      row.acceptedBecause = settling.reason();
    } else {
      switch (deed) {
        case ADOPT -> adopt(row, settling);
        case WITHDRAW -> withdraw(row);
        default -> putBack(row);
      }
      row.settledAt = now;
      row.settledBy = deed.word();
      row.settledBecause = settling.reason();
    }
    journal.write(
        "finding." + deed.word(),
        row.id,
        row.sentence + " " + sentence(row, deed, settling),
        Map.of(
            "reason",
            settling.reason(),
            "ticket",
            settling.ticket() == null ? "" : settling.ticket(),
            "kind",
            row.kind));
  }

  private void adopt(FindingRow row, Settling settling) {
    AccountRow account = accounts.lock(row.accountId);
    Optional<IdentityRow> whose = identity(row, settling);
    String custody = settling.custody() == null ? "elsewhere" : settling.custody();
    switch (kind(row)) {
      case CHANGED -> adoption.takeLine(account, row.fingerprint, line(account, row));
      case NO_OWNER, OWNER_LEFT ->
          keys.live(row.fingerprint).ifPresent(k -> whose.ifPresent(i -> k.identityId = i.id));
      default ->
          adoption.take(
              account,
              line(account, row),
              whose.map(i -> i.id),
              custody,
              adoption.title(line(account, row)));
    }
  }

  /** The entries beside one are out already; where it stood there twice, that was all. */
  private void withdraw(FindingRow row) {
    if (!row.kind.equals(FindingKind.DUPLICATE.word())) {
      AccountRow account = accounts.lock(row.accountId);
      adoption.takeOut(account, row.fingerprint, line(account, row));
    }
  }

  private void putBack(FindingRow row) {
    if (!row.kind.equals(CHANGED)) {
      adoption.placeAgain(accounts.lock(row.accountId), row.fingerprint);
    }
  }

  private String name(UUID accountId) {
    AccountRow account = accounts.get(accountId);
    return account.login + "@" + destinations.get(account.destinationId).name;
  }

  private static String brief(String fingerprint) {
    return new tolvin.core.key.Fingerprint(fingerprint).brief();
  }

  /** The kind of a finding. */
  static FindingKind kind(FindingRow row) {
    return FindingKind.valueOf(row.kind.toUpperCase(java.util.Locale.ROOT).replace('-', '_'));
  }
}
