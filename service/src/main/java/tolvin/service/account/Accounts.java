package tolvin.service.account;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.util.ArrayList;
import java.util.Map;
import java.util.UUID;
import tolvin.api.destination.AccountChangeRequest;
import tolvin.api.destination.AccountRequest;
import tolvin.core.estate.Management;
import tolvin.core.estate.SignInMode;
import tolvin.service.coffer.Coffer;
import tolvin.service.destination.SystemDestinations;
import tolvin.service.job.JobKind;
import tolvin.service.job.Jobs;
import tolvin.service.journal.Journal;
import tolvin.service.problem.Checks;
import tolvin.service.problem.Problem;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationRow;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.identity.IdentityStore;
import tolvin.service.store.ClockStore;

/** Adds accounts to destinations and changes what is known of them. */
@ApplicationScoped
public class Accounts {
  /** As many keys as a file may be said to hold. */
  private static final int MOST_KEYS = 10_000;

  private final AccountStore accounts;
  private final DestinationStore destinations;
  private final IdentityStore identities;
  private final SystemDestinations systems;
  private final Coffer coffer;
  private final ClockStore clock;
  private final Journal journal;
  private final Jobs jobs;

  Accounts(
      AccountStore accounts,
      DestinationStore destinations,
      IdentityStore identities,
      SystemDestinations systems,
      Coffer coffer,
      ClockStore clock,
      Journal journal,
      Jobs jobs) {
    this.accounts = accounts;
    this.destinations = destinations;
    this.identities = identities;
    this.systems = systems;
    this.coffer = coffer;
    this.clock = clock;
    this.journal = journal;
    this.jobs = jobs;
  }

  /** Adds an account whose keys were brought by somebody. */
  @Transactional(Transactional.TxType.MANDATORY)
  public AccountRow add(UUID destination, String login) {
    return add(destination, AccountRequest.named(login));
  }

  @Transactional
  AccountRow add(UUID destination, AccountRequest request) {
    DestinationRow at = destinations.get(destination);
    AccountRow row = new AccountRow();
    row.destinationId = at.id;
    row.login = Checks.text(request.login(), "login");
    boolean plain = row.login.matches("[A-Za-z0-9._@-]{1,64}") && !row.login.startsWith("-");
    boolean fits = at.hasSheet() ? row.login.length() <= 200 : plain;
    boolean leadsElsewhere = row.login.matches("\\.{1,2}"); // where a login is a part of a path
    if (!fits || leadsElsewhere) {
      throw Problem.invalid(
          "A login has 1 to 64 letters, digits, dots, dashes, underscores or @, and is not . or ..",
          "Give the login as the destination knows it.");
    }
    row.signInMode = request.signInMode() == null ? SignInMode.KEY : request.signInMode();
    row.kind = at.hasSheet() ? systems.kind(at, request.kind()) : "";
    int most = at.hasSheet() ? systems.slots(at, row.kind) : MOST_KEYS;
    row.holds =
        request.holds() == null ? Math.min(most, at.hasSheet() ? most : 16) : request.holds();
    checkHolds(row.holds, most);
    setManagement(
        row,
        request.managedBy() == null ? Management.TOLVIN : request.managedBy(),
        request.otherSource());
    row.identityId = request.identityId() == null ? null : identities.get(request.identityId()).id;
    row.registered = new ArrayList<>();
    if (accounts.byLogin(at.id, row.login).isPresent()) {
      throw Problem.conflict(
          "account-exists",
          row.login + " on " + at.name + " is known already.",
          "Use that account.");
    }
    row.validFrom = clock.now();
    row.id = clock.id(row.validFrom);
    accounts.add(row);
    jobs.wake(JobKind.FIRST_LOOKS, JobKind.ALL);
    if (request.password() != null && !request.password().isEmpty()) {
      accounts.flush();
      coffer.keepText(Coffer.ACCOUNT_PASSWORD, row.id, request.password());
    }
    journal.write(
        "account.added", row.id, "Account " + row.login + " on " + at.name + " added", Map.of());
    return row;
  }

  private static void checkHolds(int holds, int most) {
    if (holds < 1 || holds > most) {
      throw Problem.invalid(
          "An account there holds 1 to " + most + " keys.",
          "Leave it out if there is no limit that you know.");
    }
  }

  private static void setManagement(AccountRow row, Management managedBy, String source) {
    row.managedBy = managedBy;
    row.otherSource = Checks.optional(source, "other source");
    if (row.managedBy == Management.ANOTHER_SOURCE == row.otherSource.isEmpty()) {
      throw Problem.invalid(
          "Only an account that another source manages has such a source.",
          "Give managedBy another-source together with what that source is.");
    }
  }

  @Transactional
  AccountRow change(UUID id, AccountChangeRequest change) {
    AccountRow row = accounts.lock(id);
    DestinationRow at = destinations.get(row.destinationId);
    if (change.managedBy() != null || change.otherSource() != null) {
      setManagement(
          row,
          change.managedBy() == null ? row.managedBy : change.managedBy(),
          change.otherSource());
    }
    if (change.holds() != null) {
      checkHolds(change.holds(), at.hasSheet() ? systems.slots(at, row.kind) : MOST_KEYS);
      row.holds = change.holds();
    }
    if (change.identityId() != null) {
      row.identityId = identities.get(change.identityId()).id;
    }
    if (change.password() != null && !change.password().isEmpty()) {
      coffer.keepText(Coffer.ACCOUNT_PASSWORD, row.id, change.password());
    }
    journal.write(
        "account.changed",
        id,
        "Account " + row.login + " on " + at.name + " changed",
        Map.of("managedBy", row.managedBy, "otherSource", row.otherSource, "holds", row.holds));
    return row;
  }
}
