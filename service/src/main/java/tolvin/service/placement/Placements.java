package tolvin.service.placement;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import java.util.UUID;
import tolvin.api.placement.PlacementRequest;
import tolvin.core.authorized.Mark;
import tolvin.core.estate.Management;
import tolvin.core.estate.PlacementState;
import tolvin.core.estate.Purpose;
import tolvin.core.give.GivenOut;
import tolvin.core.key.PublicKey;
import tolvin.core.port.AccountPort;
import tolvin.core.rulebook.Verdict;
import tolvin.core.sheet.Ability;
import tolvin.core.sheet.EntryLine;
import tolvin.core.sheet.SystemSheet.AccountKind;
import tolvin.service.coffer.Coffer;
import tolvin.service.destination.Access;
import tolvin.service.job.JobKind;
import tolvin.service.job.Jobs;
import tolvin.service.journal.Journal;
import tolvin.service.problem.Checks;
import tolvin.service.problem.Problem;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationRow;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.placement.Limits;
import tolvin.service.record.placement.PlacementRow;
import tolvin.service.record.placement.PlacementStore;
import tolvin.service.record.placement.Terms;
import tolvin.service.rulebook.Judgements;
import tolvin.service.store.ClockStore;

/** Wants placements and their withdrawal; the runner does both. */
@ApplicationScoped
public class Placements {
  /** The type of the problem that a key stands there already, just as it is wanted. */
  public static final String EXISTS = "placement-exists";

  private final PlacementStore store;
  private final KeyStore keys;
  private final AccountStore accounts;
  private final DestinationStore destinations;
  private final Judgements judgements;
  private final Access access;
  private final Coffer coffer;
  private final ClockStore clock;
  private final Journal journal;
  private final Jobs jobs;

  Placements(
      PlacementStore store,
      KeyStore keys,
      AccountStore accounts,
      DestinationStore destinations,
      Judgements judgements,
      Access access,
      Coffer coffer,
      ClockStore clock,
      Journal journal,
      Jobs jobs) {
    this.store = store;
    this.keys = keys;
    this.accounts = accounts;
    this.destinations = destinations;
    this.judgements = judgements;
    this.access = access;
    this.coffer = coffer;
    this.clock = clock;
    this.journal = journal;
    this.jobs = jobs;
  }

  /** Wants a key on an account, asked for by a person. */
  @Transactional
  public PlacementRow want(PlacementRequest request) {
    return want(request, Map.of());
  }

  /**
   * Likewise as a part of something larger.
   *
   * @param because what the journal says beside: of what it is a part
   */
  @Transactional
  public PlacementRow want(PlacementRequest request, Map<String, String> because) {
    KeyRow key = keys.get(request.keyId());
    AccountRow account = accounts.lock(request.accountId());
    if (key.endedAt != null) {
      throw Problem.conflict(
          "key-ended",
          "The key is out of use: " + key.endedBecause + ".",
          "Register and place another key.");
    }
    Optional<PlacementRow> there = store.live(key.id, account.id);
    if (there.isPresent()) {
      throw exists(there.get(), account, request);
    }
    if (account.managedBy == Management.ANOTHER_SOURCE) {
      throw Problem.conflict(
          "kept-elsewhere",
          account.login
              + " is managed by another source, which rewrites it: "
              + account.otherSource
              + ". What Tolvin wrote there would be lost.",
          "Place the key through that source.");
    }
    if (store.liveOnAccounts(List.of(account.id)).size() >= account.holds) {
      throw Problem.conflict(
          "account-full",
          account.login + " holds " + account.holds + " keys and all places are taken.",
          "Withdraw a key that is no longer needed first.");
    }
    DestinationRow at = destinations.get(account.destinationId);
    Terms terms =
        new Terms(
            Checks.text(request.title(), "title"),
            request.purpose() == null ? Purpose.SIGN_IN : request.purpose(),
            request.access() == null ? tolvin.core.estate.Access.WRITE : request.access(),
            Limits.asked(request.sources(), request.endsAt(), request.options(), clock.now()));
    refuseIfImpossible(key, account, at, terms);
    refuseByRule(key, at, terms);
    PlacementRow row = want(key, account, null, terms);
    Map<String, String> data = new TreeMap<>(because);
    data.put("key", key.id.toString());
    data.put("account", account.id.toString());
    journal.write(
        "placement.wanted", row.id, "Key " + key.fingerprint + " wanted on " + account.login, data);
    return row;
  }

  /** What was asked for beside what is there; nothing of it is passed over in silence. */
  private Problem exists(PlacementRow there, AccountRow account, PlacementRequest request) {
    Limits asked =
        Limits.asked(request.sources(), request.endsAt(), request.options(), clock.now());
    List<String> other = new ArrayList<>();
    differs(other, "title", there.title, Checks.text(request.title(), "title"));
    differs(other, "purpose", there.purpose, request.purpose());
    differs(other, "access", there.access, request.access());
    differs(other, "addresses", there.sources, request.sources() == null ? null : asked.sources());
    differs(other, "end", there.endsAt, request.endsAt() == null ? null : asked.endsAt());
    differs(other, "options", there.options, request.options() == null ? null : asked.more());
    String is =
        "The key is "
            + (there.isThereOnRecord() ? "on " : "about to be changed on ")
            + account.login
            + " already";
    return other.isEmpty()
        ? Problem.conflict(EXISTS, is + ".", "Nothing needs to be done.")
        : Problem.conflict(
            "placement-differs",
            is + ", with another " + String.join(", another ", other) + ". It was left as it is.",
            "Withdraw it and place it again as you want it, or leave out what is to stay.");
  }

  private static void differs(List<String> other, String what, Object there, Object asked) {
    if (asked != null && !asked.equals(there)) {
      other.add(what + " (" + (there == null ? "none" : there) + ")");
    }
  }

  private void refuseByRule(KeyRow key, DestinationRow at, Terms terms) {
    Verdict verdict = judgements.at(key, Judgements.place(at, terms, clock.now()));
    Judgements.refuse(verdict);
  }

  /** What the destination cannot do is said before anything is tried there. */
  private void refuseIfImpossible(KeyRow key, AccountRow account, DestinationRow at, Terms terms) {
    if (at.hasSheet() && at.testedAt == null) {
      throw Problem.conflict(
          "not-tried",
          at.name + " was not yet tried by the sheet that is in force.",
          "Test it with a throw-away key: tolvin destination test " + at.name + " --account LOGIN");
    }
    Optional<Ability> ability = access.kind(account).map(AccountKind::ability);
    String reason =
        ability
            .map(can -> AbilityCheck.refuses(can, Access.key(key.blob), terms))
            .orElseGet(
                () -> AbilityCheck.refusesOverSsh(at.ability(), Access.key(key.blob), terms));
    if (!reason.isEmpty()) {
      throw new Problem(
          422,
          "not-possible-there",
          "Not possible there",
          at.name + ": " + reason,
          "Choose what it can do; tolvin destination show " + at.name + " says what that is.");
    }
  }

  /** Adds a wanted placement with a line and a mark of its own. */
  @Transactional(Transactional.TxType.MANDATORY)
  public PlacementRow want(KeyRow key, AccountRow account, UUID rotation, Terms terms) {
    if (coffer.isDestroyed(Coffer.PRIVATE_KEY, key.id)) {
      throw Problem.conflict(
          "private-key-destroyed",
          "The private key of "
              + key.fingerprint
              + " was destroyed, so nobody can sign in with it.",
          "Place the key that is in use now.");
    }
    Instant now = clock.now();
    PublicKey open = Access.key(key.blob);
    Mark mark = Mark.make(clock.random());
    Limits limits = terms.limits();
    PlacementRow row = new PlacementRow();
    row.id = clock.id(now);
    row.keyId = key.id;
    row.accountId = account.id;
    row.rotationId = rotation;
    row.state = PlacementState.WANTED;
    row.title = terms.title();
    row.purpose = terms.purpose();
    row.access = terms.access();
    row.mark = mark.value();
    row.sources = limits.sources();
    row.endsAt = limits.endsAt();
    row.options = limits.more();
    row.line =
        access
            .kind(account)
            .map(
                kind ->
                    EntryLine.of(
                        open,
                        EntryLine.title(kind.ability(), terms.title(), mark),
                        terms.purpose(),
                        terms.access()))
            .orElseGet(
                () -> GivenOut.authorizedLine(open, terms.title() + " " + mark, limits.options()));
    row.wantedAt = now;
    if (row.isToBeDone()) {
      jobs.add(JobKind.PLACEMENT, row.id, now);
    }
    return store.add(row);
  }

  /**
   * Adds a placement of what stands there already; its mark is in no line, so that nothing of
   * Tolvin's is ever taken for it.
   */
  @Transactional(Transactional.TxType.MANDATORY)
  public PlacementRow asItStands(KeyRow key, AccountRow account, String line, String title) {
    Instant now = clock.now();
    PlacementRow row = new PlacementRow();
    row.id = clock.id(now);
    row.keyId = key.id;
    row.accountId = account.id;
    row.state = PlacementState.PLACED;
    row.title = title;
    row.purpose = Purpose.SIGN_IN;
    row.mark = Mark.make(clock.random()).value();
    row.sources = List.of();
    row.line = line;
    row.wantedAt = now;
    row.placedAt = now;
    return store.add(row);
  }

  /**
   * When Tolvin may sign in with a placed key to see that it works: once the destination has copied
   * it everywhere.
   *
   * @return empty if it cannot: it does not have the private key, or the key is not for signing in
   */
  @Transactional
  public Optional<Instant> triedFrom(PlacementRow row) {
    return row.purpose == Purpose.SIGN_IN && coffer.holds(Coffer.PRIVATE_KEY, row.keyId)
        ? Optional.of(
            row.placedAt.plusSeconds(
                destinations.get(accounts.get(row.accountId).destinationId).propagationSeconds))
        : Optional.empty();
  }

  /** A placement as the connectors know it. */
  @Transactional
  public AccountPort.Entry entry(PlacementRow row) {
    KeyRow key = keys.get(row.keyId);
    AccountRow account = accounts.get(row.accountId);
    return new AccountPort.Entry(
        row.line,
        Access.key(key.blob),
        access
            .kind(account)
            .map(kind -> EntryLine.title(kind.ability(), row.title, new Mark(row.mark)))
            .orElse(row.title),
        row.purpose,
        row.access,
        row.sources,
        Optional.ofNullable(row.endsAt),
        Optional.of(row.reference).filter(r -> !r.isEmpty()));
  }

  /**
   * Wants a placement withdrawn, or gives up one that was never placed.
   *
   * @param overruled what a person was told would break; empty if nothing would
   */
  @Transactional
  public PlacementRow withdraw(UUID id, String reason, Optional<String> overruled) {
    PlacementRow row = store.lock(id);
    boolean underWay = row.state == PlacementState.WITHDRAWING;
    if (row.state == PlacementState.WITHDRAWN
        || underWay && (row.overruled || overruled.isEmpty())) {
      return row; // nothing else is said than before
    }
    if (row.rotationId != null && store.isRotating(row.rotationId)) {
      throw Problem.conflict(
          "rotation-running",
          "A rotation placed this key and needs it.",
          "Roll the rotation back, or let it come to its end.");
    }
    Instant now = clock.now();
    if (row.state == PlacementState.WANTED && row.placedAt == null) {
      row.placedAt = now; // it may stand there already: whatever is there is taken out
    }
    row.state = PlacementState.WITHDRAWING;
    row.reason = null;
    row.overruled = overruled.isPresent();
    jobs.add(JobKind.PLACEMENT, id, now);
    journal.write(
        "placement.withdrawal-wanted",
        id,
        "Withdrawal wanted: " + row.title,
        Map.of("reason", Checks.text(reason, "reason"), "overruled", overruled.orElse("")));
    return row;
  }
}
