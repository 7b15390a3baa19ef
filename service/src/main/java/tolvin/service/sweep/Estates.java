package tolvin.service.sweep;

import io.quarkus.narayana.jta.QuarkusTransaction;
import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.UUID;
import tolvin.core.authorized.AuthorizedKeys;
import tolvin.core.estate.Registered;
import tolvin.core.key.PrivateHalf;
import tolvin.core.sweep.PassedOverLines;
import tolvin.core.sweep.Seen;
import tolvin.service.destination.AccountRow;
import tolvin.service.destination.AccountStore;
import tolvin.service.destination.DestinationRow;
import tolvin.service.destination.DestinationStore;
import tolvin.service.destination.Destinations;
import tolvin.service.identity.IdentityRow;
import tolvin.service.identity.IdentityStore;
import tolvin.service.journal.Journal;
import tolvin.service.key.KeyRow;
import tolvin.service.key.KeyStore;
import tolvin.service.placement.PlacementStore;
import tolvin.service.placement.Readings;
import tolvin.service.store.ClockStore;
import tolvin.service.store.Transactions;
import tolvin.service.web.Checks;
import tolvin.service.web.Problem;

/**
 * Takes over what stands in files that somebody brought, as from hosts that Tolvin does not reach
 * yet. Safe to repeat: what is in the books already is only counted. Owners are taken where they
 * were named, and otherwise only suggested.
 */
@ApplicationScoped
public class Estates {
  private static final int MOST_FILES = 500;

  private final DestinationStore destinations;
  private final Destinations newDestinations;
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
    this.accounts = accounts;
    this.keys = keys;
    this.identities = identities;
    this.placements = placements;
    this.readings = readings;
    this.adoption = adoption;
    this.clock = clock;
    this.journal = journal;
  }

  /**
   * The keys of one account, as they stood in a file.
   *
   * @param destination the destination's name; one that is not there yet is attached, stopped until
   *     its host key was compared
   * @param host its host name; the destination's name if absent
   * @param port its TCP port; 22 if absent
   * @param login the account's login
   * @param content the lines, as in authorized_keys, as text; absent if bytes are given
   * @param bytes the very bytes of the file, whatever it is written in
   * @param identity whose the keys are, if somebody knows; absent if not
   */
  public record File(
      String destination,
      String host,
      Integer port,
      String login,
      String content,
      byte[] bytes,
      String identity) {
    byte[] whole() {
      return bytes != null
          ? bytes
          : (content == null ? "" : content).getBytes(StandardCharsets.UTF_8);
    }
  }

  /**
   * Files to take over.
   *
   * @param rehearse whether to only say what would be done
   */
  public record Files(List<File> files, boolean rehearse, String reason) {}

  /**
   * What came of one file.
   *
   * @param account login and destination
   * @param fresh keys that were not known
   * @param joined keys that stood somewhere else already: one key, one record
   * @param known entries that were in the books already
   * @param passedOver lines that a server passes over, with their numbers and why
   * @param suggested keys without owner whose comment lets one guess whose they are
   * @param trouble why the file could not be taken; absent if it was
   */
  public record Taken(
      String account,
      int fresh,
      int joined,
      int known,
      List<String> passedOver,
      Map<String, String> suggested,
      String trouble) {}

  /** Takes files over, each by itself; one that cannot be taken does not stop the others. */
  public List<Taken> take(Files wish) {
    if (wish.files() == null || wish.files().size() > MOST_FILES) {
      throw Problem.invalid(
          "Give the files, at most " + MOST_FILES + " at once.",
          "Take them over in several parts.");
    }
    String reason = Checks.text(wish.reason(), "reason");
    List<Taken> taken = new ArrayList<>();
    Set<String> seen = new HashSet<>();
    for (File file : wish.files()) {
      String name = String.valueOf(file.login()) + "@" + file.destination();
      try {
        taken.add(
            wish.rehearse()
                ? rehearsed(file, name, seen, reason)
                : Transactions.inside(() -> take(file, name, seen, reason)));
      } catch (Problem e) {
        taken.add(
            new Taken(
                name, 0, 0, 0, List.of(), Map.of(), e.getMessage() + " " + e.body().wayOut()));
      }
    }
    return taken;
  }

  private record Read(List<AuthorizedKeys.Line> keys, List<String> passedOver) {}

  private static Read read(File file) {
    byte[] whole = file.whole();
    PrivateHalf.refuse(whole)
        .ifPresent(
            refusal -> {
              throw Problem.invalid(refusal.sentence(), refusal.wayOut());
            });
    AuthorizedKeys lines = AuthorizedKeys.of(whole);
    Set<Integer> over = new HashSet<>();
    List<String> said = new ArrayList<>();
    for (Seen.PassedOver line : PassedOverLines.of(lines)) {
      over.add(line.number());
      said.add("line " + line.number() + ": " + line.why());
    }
    List<AuthorizedKeys.Line> good = new ArrayList<>();
    for (int i = 0; i < lines.lines().size(); i++) {
      AuthorizedKeys.Line line = lines.lines().get(i);
      boolean authority = line.options().contains("cert-authority");
      if (line.key().isPresent() && !over.contains(i + 1) && !authority) {
        good.add(line);
      } else if (authority) {
        said.add("line " + (i + 1) + ": a certificate authority; it is not taken over");
      }
    }
    return new Read(good, said);
  }

  /** The real thing, undone: so a rehearsal can say nothing else than what would be done. */
  private Taken rehearsed(File file, String name, Set<String> seen, String reason) {
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

  private Taken take(File file, String name, Set<String> seen, String reason) {
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
            .orElseGet(() -> newDestinations.addAccount(at.id, file.login()));
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
      adoption.take(account, line.text(), owner, "elsewhere", adoption.title(line.text()));
    }
    journal.write(
        "estate.taken",
        account.id,
        name + " taken over: " + fresh + " new keys, " + joined + " joined, " + known + " known",
        Map.of("reason", reason));
    return new Taken(name, fresh, joined, known, read.passedOver(), suggested, null);
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
