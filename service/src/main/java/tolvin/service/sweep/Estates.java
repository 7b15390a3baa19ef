package tolvin.service.sweep;

import io.quarkus.narayana.jta.QuarkusTransaction;
import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.UUID;
import tolvin.api.sweep.EstateFileRequest;
import tolvin.api.sweep.EstateFilesRequest;
import tolvin.api.sweep.TakenView;
import tolvin.core.authorized.AuthorizedKeys;
import tolvin.core.estate.Custody;
import tolvin.core.estate.Registered;
import tolvin.core.key.PrivateKeyText;
import tolvin.service.account.Accounts;
import tolvin.service.account.Readings;
import tolvin.service.destination.Destinations;
import tolvin.service.journal.Journal;
import tolvin.service.problem.Checks;
import tolvin.service.problem.Problem;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationRow;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.identity.IdentityRow;
import tolvin.service.record.identity.IdentityStore;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.placement.PlacementStore;
import tolvin.service.store.ClockStore;
import tolvin.service.store.Transactions;

/**
 * Takes over what stands in files that somebody brought, as from hosts that Tolvin does not reach
 * yet. Safe to repeat: what is on record already is only counted. Owners are taken where they were
 * named, and otherwise only suggested.
 */
@ApplicationScoped
public class Estates {
  private static final int MOST_FILES = 500;

  private final DestinationStore destinations;
  private final Destinations newDestinations;
  private final Accounts newAccounts;
  private final AccountStore accounts;
  private final KeyStore keys;
  private final IdentityStore identities;
  private final PlacementStore placements;
  private final Readings readings;
  private final Adoption adoption;
  private final ClockStore clock;
  private final Journal journal;

  Estates(
      DestinationStore destinations,
      Destinations newDestinations,
      Accounts newAccounts,
      AccountStore accounts,
      KeyStore keys,
      IdentityStore identities,
      PlacementStore placements,
      Readings readings,
      Adoption adoption,
      ClockStore clock,
      Journal journal) {
    this.destinations = destinations;
    this.newDestinations = newDestinations;
    this.newAccounts = newAccounts;
    this.accounts = accounts;
    this.keys = keys;
    this.identities = identities;
    this.placements = placements;
    this.readings = readings;
    this.adoption = adoption;
    this.clock = clock;
    this.journal = journal;
  }

  /** Takes files over, each by itself; one that cannot be taken does not stop the others. */
  public List<TakenView> take(EstateFilesRequest request) {
    if (request.files() == null || request.files().size() > MOST_FILES) {
      throw Problem.invalid(
          "Give the files, at most " + MOST_FILES + " at once.",
          "Take them over in several parts.");
    }
    String reason = Checks.text(request.reason(), "reason");
    List<TakenView> taken = new ArrayList<>();
    Set<String> seen = new HashSet<>();
    for (EstateFileRequest file : request.files()) {
      String name = String.valueOf(file.login()) + "@" + file.destination();
      try {
        taken.add(
            request.rehearse()
                ? rehearsed(file, name, seen, reason)
                : Transactions.inNewTransaction(() -> take(file, name, seen, reason)));
      } catch (Problem e) {
        taken.add(
            new TakenView(
                name, 0, 0, 0, List.of(), Map.of(), e.getMessage() + " " + e.body().remedy()));
      }
    }
    return taken;
  }

  private record Read(List<AuthorizedKeys.Line> keys, List<String> ignored) {}

  private static Read read(EstateFileRequest file) {
    byte[] whole = file.whole();
    PrivateKeyText.refuse(whole)
        .ifPresent(
            refusal -> {
              throw Problem.invalid(refusal.sentence(), refusal.remedy());
            });
    AuthorizedKeys lines = AuthorizedKeys.of(whole);
    List<String> said = new ArrayList<>();
    List<AuthorizedKeys.Line> good = new ArrayList<>();
    for (int i = 0; i < lines.lines().size(); i++) {
      AuthorizedKeys.Line line = lines.lines().get(i);
      String number = "line " + (i + 1) + ": ";
      switch (line.admission().kind()) {
        case LETS_IN -> good.add(line);
        case AUTHORITY -> said.add(number + "a certificate authority; it is not taken over");
        case IGNORED, DOUBTFUL -> said.add(number + line.admission().why());
        case NOTHING -> {
          // a comment
        }
      }
    }
    return new Read(good, said);
  }

  /** The real thing, undone: so a rehearsal can say nothing else than what would be done. */
  private TakenView rehearsed(
      EstateFileRequest file, String name, Set<String> seen, String reason) {
    QuarkusTransaction.begin();
    try {
      return take(file, name, seen, reason);
    } finally {
      QuarkusTransaction.rollback();
    }
  }

  private void suggest(
      AuthorizedKeys.Line line, Optional<KeyRow> row, Map<String, String> suggested) {
    if (row.filter(k -> k.identityId != null).isEmpty()) {
      adoption
          .suggestion(line.text())
          .ifPresent(i -> suggested.put(line.key().orElseThrow().fingerprintText(), i.name));
    }
  }

  private TakenView take(EstateFileRequest file, String name, Set<String> seen, String reason) {
    Read read = read(file);
    Optional<UUID> owner =
        file.identity() == null || file.identity().isBlank()
            ? Optional.empty()
            : Optional.of(identity(file.identity()).id);
    DestinationRow at =
        destinations
            .named(Checks.text(file.destination(), "destination"))
            .orElseGet(
                () -> newDestinations.addUnreached(file.destination(), file.host(), file.port()));
    AccountRow account =
        accounts
            .withLogin(at.id, file.login())
            .orElseGet(() -> newAccounts.add(at.id, file.login()));
    if (account.readAt == null) {
      readings.record(account.id, read.keys().stream().map(Registered::of).toList());
    }
    int fresh = 0;
    int joined = 0;
    int known = 0;
    Map<String, String> suggested = new HashMap<>();
    for (AuthorizedKeys.Line line : read.keys()) {
      String print = line.key().orElseThrow().fingerprintText();
      Optional<KeyRow> row = keys.live(print);
      suggest(line, row, suggested);
      if (row.isPresent() && placements.live(row.get().id, account.id).isPresent()) {
        known++;
        continue;
      }
      if (row.isEmpty() && seen.add(print)) {
        fresh++;
      } else {
        joined++;
      }
      adoption.take(account, line.text(), owner, Custody.ELSEWHERE, adoption.title(line.text()));
    }
    journal.write(
        "estate.taken",
        account.id,
        name + " taken over: " + fresh + " new keys, " + joined + " joined, " + known + " known",
        Map.of("reason", reason));
    return new TakenView(name, fresh, joined, known, read.ignored(), suggested, null);
  }

  @Transactional(Transactional.TxType.MANDATORY)
  IdentityRow identity(String name) {
    return identities.inForce().stream()
        .filter(i -> i.name.equals(name.strip()))
        .findFirst()
        .orElseThrow(
            () ->
                Problem.invalid(
                    "There is no identity " + name.strip() + ".",
                    "Add it first, or leave the owner out."));
  }
}
