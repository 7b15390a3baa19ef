package tolvin.connectors.sheet;

import java.time.Duration;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;
import tolvin.core.authorized.KeyOptions;
import tolvin.core.estate.Registered;
import tolvin.core.form.Form;
import tolvin.core.give.GivenOut;
import tolvin.core.key.Fingerprint;
import tolvin.core.key.PublicKey;
import tolvin.core.key.RefusedException;
import tolvin.core.port.AccountPort;
import tolvin.core.port.Lease;
import tolvin.core.port.Place;
import tolvin.core.port.Place.OnSystem;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.sheet.Ability;
import tolvin.core.sheet.Meaning.Word;
import tolvin.core.sheet.Operation;
import tolvin.core.sheet.SystemSheet.AccountKind;
import tolvin.core.word.Words;

/**
 * Accounts of systems that a sheet describes. An answer is never believed: whatever was changed is
 * read back, and an answer that was lost is looked for in what is registered.
 */
public final class SheetAccounts implements AccountPort {
  private final Steps steps;

  /** Talks to systems so. */
  public SheetAccounts(Steps steps) {
    this.steps = steps;
  }

  @Override
  public List<Registered> read(Place where) throws PortException {
    return registered(found((OnSystem) where));
  }

  @Override
  public List<Registered> place(Place where, Entry entry, Lease lease) throws PortException {
    OnSystem account = (OnSystem) where;
    AccountKind kind = kind(account);
    List<Entries.Found> before = found(account);
    if (standsThere(before, entry)) {
      return registered(before);
    }
    Optional<String> refusal = kind.ability().refuses(entry.key());
    if (refusal.isPresent()) {
      throw new PortException(
          Kind.NOT_ALLOWED,
          account.connection().name() + ": " + refusal.get(),
          "Use a key that it takes.");
    }
    Fingerprint key = entry.key().fingerprint();
    if (registered(before).stream().anyMatch(r -> r.key().equals(key))) {
      throw new PortException(
          Kind.NOT_ALLOWED,
          key + " stands on " + account.name() + " already, in an entry that Tolvin did not make.",
          "Have that entry taken out, or leave the key to its owner.");
    }
    Map<String, Object> values = values(account, kind, entry);
    values.put("slot", freeSlot(account, kind.ability(), before));
    lease.check();
    Optional<PortException> lost =
        steps.change(
            account.connection(),
            operation(account, kind.place()),
            values,
            Set.of(Word.ALREADY_THERE));
    List<Entries.Found> after = found(account);
    if (!standsThere(after, entry)) {
      throw lost.orElseGet(() -> nothingDone(account, entry, registered(after)));
    }
    return registered(after);
  }

  @Override
  public List<Registered> withdraw(Place where, Entry entry, Lease lease) throws PortException {
    OnSystem account = (OnSystem) where;
    AccountKind kind = kind(account);
    List<Registered> before = read(where);
    Optional<Registered> there =
        before.stream().filter(r -> r.line().equals(entry.line())).findFirst();
    if (there.isEmpty()) {
      if (before.stream().anyMatch(r -> r.key().equals(entry.key().fingerprint()))) {
        throw new PortException(
            Kind.NOT_ALLOWED,
            entry.key().fingerprint()
                + " stands on "
                + account.name()
                + ", but not in the entry that Tolvin made: somebody changed it.",
            "Nothing was taken out. Find out who changed it, and why.");
      }
      return before;
    }
    Registered.Details details = there.get().details();
    if (entry.reference().filter(r -> !r.equals(details.reference())).isPresent()) {
      throw new PortException(
          Kind.NOT_ALLOWED,
          "The entry on "
              + account.name()
              + " is another one: "
              + details.reference()
              + " instead of "
              + entry.reference().get()
              + ".",
          "Nothing was taken out. Somebody removed it and added it again; find out who.");
    }
    Map<String, Object> values = values(account, kind, entry);
    values.put("reference", details.reference());
    values.put("slot", details.slot());
    values.put("title", details.title());
    lease.check();
    Optional<PortException> lost =
        steps.change(
            account.connection(), operation(account, kind.withdraw()), values, Set.of(Word.GONE));
    List<Registered> after = read(where);
    if (after.stream().anyMatch(r -> r.line().equals(entry.line()))) {
      throw lost.orElseGet(
          () ->
              new PortException(
                  Kind.CHANGED_MEANWHILE,
                  account.name() + " said that the entry is gone, but it still stands there.",
                  "It is looked at again. Does the system take a while to show a change?"));
    }
    return after;
  }

  @Override
  public Change rehearse(Place where, Optional<Entry> add, Optional<Entry> remove)
      throws PortException {
    List<String> before = read(where).stream().map(Registered::line).toList();
    List<String> after = new java.util.ArrayList<>(before);
    remove.ifPresent(entry -> after.remove(entry.line()));
    add.filter(entry -> !after.contains(entry.line())).ifPresent(entry -> after.add(entry.line()));
    return new Change(
        "keys of " + where.name(), String.join("\n", before), String.join("\n", after));
  }

  private static boolean standsThere(List<Entries.Found> found, Entry entry) {
    return registered(found).stream().anyMatch(r -> r.line().equals(entry.line()));
  }

  private static PortException nothingDone(OnSystem account, Entry entry, List<Registered> after) {
    Optional<Registered> otherwise =
        after.stream().filter(r -> r.key().equals(entry.key().fingerprint())).findFirst();
    return otherwise.isPresent()
        ? new PortException(
            Kind.UNEXPECTED,
            account.name()
                + " registered the key differently: “"
                + otherwise.get().line()
                + "” instead of “"
                + entry.line()
                + "”.",
            "Bring the sheet's rule for titles in line with what the system keeps.")
        : new PortException(
            Kind.CHANGED_MEANWHILE,
            account.name() + " said that the key is registered, but it does not stand there.",
            "It is looked at again. Does the system take a while to show a change?");
  }

  /** Nothing is ever overwritten: a slot is free, or there is none. */
  private static String freeSlot(OnSystem account, Ability ability, List<Entries.Found> before)
      throws PortException {
    if (before.size() >= ability.slots()) {
      throw new PortException(
          Kind.NO_SPACE,
          account.name()
              + " holds "
              + ability.slots()
              + " keys and all places are taken; nothing is overwritten.",
          "Withdraw a key that is no longer needed there first.");
    }
    Set<String> taken = before.stream().map(Entries.Found::slot).collect(Collectors.toSet());
    return ability.slotNames().stream().filter(s -> !taken.contains(s)).findFirst().orElse("");
  }

  private static Map<String, Object> values(OnSystem account, AccountKind kind, Entry entry)
      throws PortException {
    Map<String, Object> values = new HashMap<>();
    PublicKey key = entry.key();
    values.put("account", account.login());
    values.put("kind", account.kind());
    values.put("key", written(key, kind.ability().form(), entry.title()));
    values.put("key-line", key.line());
    values.put("key-type", kind.word("type", key.type().word()));
    values.put("key-body", key.line().split(" ")[1]);
    values.put("fingerprint", key.fingerprintText());
    values.put("fingerprint-hex", Entries.hexadecimal(key));
    values.put("md5", Fingerprint.md5(key.blob()));
    values.put("purpose", kind.word("purpose", Words.of(entry.purpose())));
    values.put("access", kind.word("access", Words.of(entry.access())));
    if (!entry.title().isEmpty()) {
      values.put("title", entry.title());
    }
    if (!entry.sources().isEmpty()) {
      values.put("sources", entry.sources());
    }
    entry.ends().ifPresent(end -> values.put("ends", end.toString()));
    entry.ends().ifPresent(end -> values.put("ends-epoch", end.getEpochSecond()));
    return values;
  }

  /** A key in the notation that a system wants, without a line end behind it. */
  static String written(PublicKey key, Form form, String comment) throws PortException {
    try {
      return GivenOut.write(key, comment, KeyOptions.NONE, form).strip();
    } catch (RefusedException e) {
      throw new PortException(
          Kind.NOT_ALLOWED, e.refusal().sentence(), "Use a key that the system's form can say.");
    }
  }

  private List<Entries.Found> found(OnSystem account) throws PortException {
    AccountKind kind = kind(account);
    Operation list = operation(account, kind.list());
    Steps.Done done =
        steps.run(
            account.connection(),
            list,
            Map.of("account", account.login(), "kind", account.kind()),
            Set.of());
    Duration ahead = Steps.clockAhead(done).orElse(Duration.ZERO);
    return Entries.of(done.elements(list.each()), list, kind, ahead);
  }

  private static List<Registered> registered(List<Entries.Found> found) {
    return found.stream().flatMap(f -> f.registered().stream()).toList();
  }

  private static Operation operation(OnSystem account, Optional<Operation> operation)
      throws PortException {
    return operation.orElseThrow(
        () ->
            new PortException(
                Kind.NOT_ALLOWED,
                "The sheet of " + account.connection().name() + " does not say how to do that.",
                "Complete the sheet."));
  }

  /** The kind of account, as the sheet describes it. */
  static AccountKind kind(OnSystem account) throws PortException {
    AccountKind kind = account.connection().sheet().accounts().get(account.kind());
    if (kind == null) {
      throw new PortException(
          Kind.NOT_ALLOWED,
          "The sheet of "
              + account.connection().name()
              + " knows no account “"
              + account.kind()
              + "”.",
          "Choose one of: "
              + String.join(
                  ", ", new java.util.TreeSet<>(account.connection().sheet().accounts().keySet()))
              + ".");
    }
    return kind;
  }
}
