package tolvin.service.removal;

import static tolvin.service.store.Transactions.inNewTransaction;

import jakarta.enterprise.context.ApplicationScoped;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.UUID;
import java.util.stream.Collectors;
import tolvin.core.estate.AccountId;
import tolvin.core.estate.SignInMode;
import tolvin.core.key.Fingerprint;
import tolvin.core.port.Lease;
import tolvin.core.port.PortException;
import tolvin.core.port.Server;
import tolvin.core.port.SignInModePort;
import tolvin.core.removal.Removal;
import tolvin.core.word.Words;
import tolvin.service.command.HostCommands;
import tolvin.service.destination.Access;
import tolvin.service.journal.Journal;
import tolvin.service.problem.Checks;
import tolvin.service.problem.Problem;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationRow;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.integration.SeatRow;
import tolvin.service.record.integration.SeatStore;
import tolvin.service.record.integration.TieRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.placement.PlacementStore;
import tolvin.service.record.usage.FeedStore;
import tolvin.service.store.ClockStore;

/** Changes how accounts sign in; to a key alone only when every seat has proven one. */
@ApplicationScoped
public class SignInModeChanges {
  private final AccountStore accounts;
  private final DestinationStore destinations;
  private final PlacementStore placements;
  private final KeyStore keys;
  private final SeatStore seats;
  private final FeedStore feeds;
  private final SignInModePort port;
  private final Removals removals;
  private final Access access;
  private final HostCommands commands;
  private final ClockStore clock;
  private final Journal journal;

  SignInModeChanges(
      AccountStore accounts,
      DestinationStore destinations,
      PlacementStore placements,
      KeyStore keys,
      SeatStore seats,
      FeedStore feeds,
      SignInModePort port,
      Removals removals,
      Access access,
      HostCommands commands,
      ClockStore clock,
      Journal journal) {
    this.accounts = accounts;
    this.destinations = destinations;
    this.placements = placements;
    this.keys = keys;
    this.seats = seats;
    this.feeds = feeds;
    this.port = port;
    this.removals = removals;
    this.access = access;
    this.commands = commands;
    this.clock = clock;
    this.journal = journal;
  }

  /** Changes it on the server, where the server lets us, and on record. */
  AccountRow change(UUID id, SignInMode wished, String reason, boolean overrule) {
    SignInMode mode = Checks.given(wished, "sign-in mode");
    String why = Checks.text(reason, "reason");
    AccountRow account = inNewTransaction(() -> accounts.get(id));
    DestinationRow at = inNewTransaction(() -> destinations.get(account.destinationId));
    if (mode == SignInMode.KEY || mode == SignInMode.BOTH) {
      inNewTransaction(() -> unproven(account))
          .ifPresent(
              who -> {
                throw Problem.conflict(
                    "not-proven",
                    who + " has not signed in with a key yet, and could not any more.",
                    "Wait for its next run, or have its holder try: tolvin trial run "
                        + account.login
                        + "@"
                        + at.name
                        + " --here");
              });
    }
    Optional<String> overruled =
        mode == SignInMode.PASSWORD ? noKeys(account, overrule) : Optional.empty();
    if (at.modePath == null || at.reloadCommand == null || at.managementLogin == null) {
      throw Problem.conflict(
          "mode-not-ours",
          at.name + " does not let Tolvin change how accounts sign in.",
          "Have its administrator change it; the next sweep sees it. Or attach the server with a"
              + " path for sign-in modes, a reload command and a management login.");
    }
    commands.demandApproved(at.reloadCommand);
    try {
      Server server = inNewTransaction(() -> access.server(at));
      port.change(
          new SignInModePort.Where(
              inNewTransaction(() -> access.login(at, at.managementLogin)),
              at.modePath.replace("{login}", account.login),
              at.reloadCommand),
          server,
          account.login,
          mode,
          Lease.UNLIMITED);
    } catch (PortException e) {
      throw new Problem(502, "mode-not-changed", "Not changed", e.getMessage(), e.remedy());
    }
    return inNewTransaction(
        () -> {
          AccountRow row = accounts.lock(id);
          row.signInMode = mode;
          row.modeSeen = mode == SignInMode.BOTH ? SignInMode.KEY : mode;
          row.modeSeenAt = clock.now();
          journal.write(
              "account.sign-in-mode",
              id,
              account.login + "@" + at.name + " signs in by " + Words.of(mode) + " now",
              Map.of("reason", why, "overruled", overruled.orElse("")));
          return row;
        });
  }

  /** No key would work any more; what a person overrules, in words. */
  private Optional<String> noKeys(AccountRow account, boolean overrule) {
    Set<Fingerprint> all =
        account.registered.stream().map(r -> new Fingerprint(r.key())).collect(Collectors.toSet());
    return removals.refuseNow(
        new Removal(new AccountId(account.id), all, Removal.Door.SIGN_IN_MODE), overrule);
  }

  /** Who ties to the account and was not yet seen to sign in there with a key that stands there. */
  private Optional<String> unproven(AccountRow account) {
    List<String> placed =
        placements.liveOnAccounts(List.of(account.id)).stream()
            .map(p -> keys.get(p.keyId).fingerprint)
            .filter(print -> account.registered.stream().anyMatch(r -> r.key().equals(print)))
            .toList();
    if (placed.isEmpty()) {
      return Optional.of("Nobody");
    }
    List<TieRow> ties = seats.tiesOfAccounts(List.of(account.id));
    if (ties.isEmpty()) {
      boolean used =
          feeds.uses(List.of(account.id)).stream().anyMatch(u -> placed.contains(u.fingerprint));
      boolean signed =
          placements.trialsSeen(account.id, null, 50).stream()
              .anyMatch(t -> t.signed && t.accepted);
      return used || signed ? Optional.empty() : Optional.of("Nobody who uses the account");
    }
    for (TieRow tie : ties) {
      SeatRow seat = seats.get(tie.seatId);
      boolean proven =
          feeds.uses(List.of(account.id)).stream()
                  .anyMatch(u -> u.address.equals(seat.address) && placed.contains(u.fingerprint))
              || seats.seatTrials(List.of(tie.id)).stream()
                  .anyMatch(t -> t.accepted && placed.contains(t.fingerprint));
      if (!proven) {
        return Optional.of(seat.path);
      }
    }
    return Optional.empty();
  }
}
