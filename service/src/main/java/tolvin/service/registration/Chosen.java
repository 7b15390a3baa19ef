package tolvin.service.registration;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.util.ArrayList;
import java.util.Collection;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.UUID;
import java.util.function.Function;
import java.util.stream.Collectors;
import tolvin.api.Page;
import tolvin.api.placement.PlacementRequest;
import tolvin.api.registration.Choice;
import tolvin.api.registration.PlacingTerms;
import tolvin.api.registration.RegistrationLine;
import tolvin.api.registration.RegistrationRequest;
import tolvin.core.key.PlainText;
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
import tolvin.service.store.RowStore;

/** Finds the keys and accounts that a registration names or chooses. */
@ApplicationScoped
class Chosen {
  private static final int MOST = 5_000;
  private static final int MOST_TOLD = 20;

  private final KeyStore keys;
  private final IdentityStore identities;
  private final AccountStore accounts;
  private final DestinationStore destinations;
  private final PlacementStore placements;

  Chosen(
      KeyStore keys,
      IdentityStore identities,
      AccountStore accounts,
      DestinationStore destinations,
      PlacementStore placements) {
    this.keys = keys;
    this.identities = identities;
    this.accounts = accounts;
    this.destinations = destinations;
    this.placements = placements;
  }

  /** One key on one account, found. */
  record Line(KeyRow key, AccountRow account, DestinationRow at, PlacementRequest request) {}

  /** The lines of a request; refused with all that is wrong about their names. */
  @Transactional(Transactional.TxType.MANDATORY)
  List<Line> lines(RegistrationRequest request) {
    Names names = new Names();
    Map<List<UUID>, Line> found = new LinkedHashMap<>();
    int number = 0;
    for (RegistrationLine line : orNone(request.lines())) {
      String where = "Line " + ++number + ": ";
      if (line == null) {
        names.wrong.add(where + "it is empty.");
        continue;
      }
      Optional<KeyRow> key = names.key(where, line.key());
      Optional<AccountRow> account = names.account(where, line.account());
      if (key.isPresent() && account.isPresent()) {
        add(found, line(key.get(), account.get(), names, line.terms()));
      }
    }
    if (request.keys() != null || request.accounts() != null) {
      List<KeyRow> chosenKeys = keys(orNone(request.keys()), names);
      List<AccountRow> chosenAccounts = accounts(orNone(request.accounts()), names);
      names.refuse();
      refuseTooMany((long) chosenKeys.size() * chosenAccounts.size());
      for (KeyRow key : chosenKeys) {
        for (AccountRow account : chosenAccounts) {
          add(found, line(key, account, names, request.terms()));
        }
      }
    }
    names.refuse();
    refuseTooMany(found.size());
    if (found.isEmpty()) {
      throw Problem.invalid(
          "There is nothing to place: no line, or nothing that fits what was chosen.",
          "Give lines with a key and an account each, or say which keys and which accounts.");
    }
    return List.copyOf(found.values());
  }

  private static <T> List<T> orNone(List<T> list) {
    return list == null ? List.of() : list;
  }

  private static Choice orNone(Choice choice) {
    return choice == null ? Choice.of(List.of()) : choice;
  }

  private static void refuseTooMany(long count) {
    if (count > MOST) {
      throw Problem.invalid(
          "That are " + count + " placements; at most " + MOST + " are taken at once.",
          "Choose fewer keys or accounts, and the others after these.");
    }
  }

  private static void add(Map<List<UUID>, Line> found, Line line) {
    found.putIfAbsent(List.of(line.key().id, line.account().id), line);
  }

  private Line line(KeyRow key, AccountRow account, Names names, PlacingTerms asked) {
    PlacingTerms terms = asked == null ? PlacingTerms.PLAIN : asked;
    return new Line(
        key,
        account,
        names.destination(account.destinationId),
        new PlacementRequest(
            key.id,
            account.id,
            terms.title() == null || terms.title().isBlank() ? title(key, names) : terms.title(),
            terms.purpose(),
            terms.access(),
            terms.sources(),
            terms.endsAt(),
            terms.options()));
  }

  /** The key's own words for where its private key is; else whose it is. */
  private static String title(KeyRow key, Names names) {
    String comment = PlainText.shown(key.comment == null ? "" : key.comment).strip();
    return !comment.isEmpty()
        ? comment
        : key.identityId == null ? key.fingerprint : names.identity(key.identityId).name;
  }

  private List<KeyRow> keys(Choice choice, Names names) {
    Map<UUID, KeyRow> found = new LinkedHashMap<>();
    for (String name : orNone(choice.named())) {
      names.key("", name).ifPresent(k -> found.put(k.id, k));
    }
    if (isGiven(choice.search())) {
      all(after -> keys.page(choice.search(), null, false, after, RowStore.MOST), k -> k.id)
          .forEach(k -> found.put(k.id, k));
    }
    if (isGiven(choice.team())) {
      keys.liveOf(ids(team(choice.team(), names))).forEach(k -> found.put(k.id, k));
    }
    return List.copyOf(found.values());
  }

  private List<AccountRow> accounts(Choice choice, Names names) {
    Map<UUID, AccountRow> found = new LinkedHashMap<>();
    for (String name : orNone(choice.named())) {
      names.account("", name).ifPresent(a -> found.put(a.id, a));
    }
    if (isGiven(choice.search())) {
      all(after -> accounts.page(null, choice.search(), after, RowStore.MOST), a -> a.id)
          .forEach(a -> found.put(a.id, a));
    }
    if (isGiven(choice.team())) {
      Set<UUID> members = ids(team(choice.team(), names));
      accounts.ofIdentities(members).forEach(a -> found.put(a.id, a));
      Set<UUID> held =
          placements.liveOfKeys(keys.liveOf(members).stream().map(k -> k.id).toList()).stream()
              .map(p -> p.accountId)
              .collect(Collectors.toCollection(LinkedHashSet::new));
      accounts.byIds(held).stream()
          .filter(a -> a.validUntil == null)
          .forEach(a -> found.putIfAbsent(a.id, a));
    }
    return List.copyOf(found.values());
  }

  private static boolean isGiven(String text) {
    return text != null && !text.isBlank();
  }

  private static Set<UUID> ids(Collection<IdentityRow> rows) {
    return rows.stream().map(i -> i.id).collect(Collectors.toCollection(LinkedHashSet::new));
  }

  private List<IdentityRow> team(String team, Names names) {
    List<IdentityRow> members = identities.ofTeam(team.strip());
    if (members.isEmpty()) {
      names.wrong.add("No identity belongs to a team “" + PlainText.shown(team.strip()) + "”.");
    }
    return members;
  }

  /** All pages of a search, as far as anybody may choose. */
  private static <T> List<T> all(Function<UUID, Page<T>> pages, Function<T, UUID> id) {
    List<T> found = new ArrayList<>();
    Page<T> page = pages.apply(null);
    found.addAll(page.items());
    while (page.next() != null && found.size() <= MOST) {
      page = pages.apply(UUID.fromString(page.next()));
      found.addAll(page.items());
    }
    return found;
  }

  /** What was found by its name already, and what is wrong about the other names. */
  private final class Names {
    private final Map<String, Optional<KeyRow>> keysNamed = new HashMap<>();
    private final Map<String, Optional<AccountRow>> accountsNamed = new HashMap<>();
    private final Map<String, Optional<DestinationRow>> destinationsNamed = new HashMap<>();
    private final Map<UUID, DestinationRow> destinationsById = new HashMap<>();
    private final Map<UUID, IdentityRow> identitiesById = new HashMap<>();
    private final List<String> wrong = new ArrayList<>();

    Optional<KeyRow> key(String where, String text) {
      return known(keysNamed, where, text, "key", this::findKey);
    }

    Optional<AccountRow> account(String where, String text) {
      return known(accountsNamed, where, text, "account", this::findAccount);
    }

    DestinationRow destination(UUID id) {
      return destinationsById.computeIfAbsent(id, destinations::get);
    }

    IdentityRow identity(UUID id) {
      return identitiesById.computeIfAbsent(id, identities::get);
    }

    private <T> Optional<T> known(
        Map<String, Optional<T>> found,
        String where,
        String text,
        String noun,
        Function<String, Optional<T>> find) {
      if (!isGiven(text)) {
        wrong.add(where + "the " + noun + " is missing.");
        return Optional.empty();
      }
      Optional<T> known = found.get(text.strip());
      if (known == null) {
        try {
          known = find.apply(text.strip());
          if (known.isEmpty()) {
            wrong.add(where + "there is no " + noun + " “" + PlainText.shown(text.strip()) + "”.");
          }
        } catch (Problem several) {
          wrong.add(where + several.getMessage());
          known = Optional.empty();
        }
        found.put(text.strip(), known);
      }
      return known;
    }

    private Optional<KeyRow> findKey(String text) {
      Optional<UUID> id = id(text);
      if (id.isPresent()) {
        return keys.find(id.get()).filter(k -> k.endedAt == null);
      }
      Optional<KeyRow> printed = keys.live(text);
      if (printed.isPresent()) {
        return printed;
      }
      List<KeyRow> own =
          identities.byName(text).map(i -> keys.liveOf(Set.of(i.id))).orElse(List.of());
      if (own.size() > 1) {
        throw Problem.invalid(
            PlainText.shown(text)
                + " has "
                + own.size()
                + " keys: "
                + own.stream()
                    .limit(MOST_TOLD)
                    .map(k -> k.fingerprint)
                    .collect(Collectors.joining(", "))
                + "; give the fingerprint of one.",
            "");
      }
      return own.stream().findFirst();
    }

    private Optional<AccountRow> findAccount(String text) {
      Optional<UUID> id = id(text);
      if (id.isPresent()) {
        return accounts.find(id.get()).filter(a -> a.validUntil == null);
      }
      int at = text.lastIndexOf('@');
      return at < 1
          ? Optional.empty()
          : destinationsNamed
              .computeIfAbsent(text.substring(at + 1), destinations::named)
              .flatMap(d -> accounts.byLogin(d.id, text.substring(0, at)));
    }

    private Optional<UUID> id(String text) {
      try {
        return text.length() == 36 ? Optional.of(UUID.fromString(text)) : Optional.empty();
      } catch (IllegalArgumentException name) {
        return Optional.empty();
      }
    }

    /** Refuses if any name was wrong: all that are, so that a table is corrected once. */
    void refuse() {
      if (!wrong.isEmpty()) {
        int more = wrong.size() - MOST_TOLD;
        throw Problem.invalid(
            wrong.stream().limit(MOST_TOLD).collect(Collectors.joining(" "))
                + (more > 0 ? " And " + more + " more." : ""),
            "Nothing was begun. Correct these and ask again; the lists say which there are.");
      }
    }
  }
}
