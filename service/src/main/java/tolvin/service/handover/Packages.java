package tolvin.service.handover;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Instant;
import java.time.ZoneOffset;
import java.time.format.DateTimeFormatter;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import tolvin.api.handover.PackageView;
import tolvin.core.authorized.KeyOptions;
import tolvin.core.form.Form;
import tolvin.core.give.GivenOut;
import tolvin.core.handover.HandOverKind;
import tolvin.core.key.PublicKey;
import tolvin.core.key.RefusedException;
import tolvin.service.destination.Access;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.handover.HandOverRow;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.placement.Limits;
import tolvin.service.record.placement.PlacementRow;
import tolvin.service.record.placement.PlacementStore;

/**
 * What somebody elsewhere is given and told: the key in their form, what to do with it, by when.
 */
@ApplicationScoped
public class Packages {
  private static final DateTimeFormatter DAY =
      DateTimeFormatter.ofPattern("d MMMM uuuu", Locale.ENGLISH).withZone(ZoneOffset.UTC);

  private final DestinationStore destinations;
  private final AccountStore accounts;
  private final KeyStore keys;
  private final PlacementStore placements;

  Packages(
      DestinationStore destinations,
      AccountStore accounts,
      KeyStore keys,
      PlacementStore placements) {
    this.destinations = destinations;
    this.accounts = accounts;
    this.keys = keys;
    this.placements = placements;
  }

  @Transactional(Transactional.TxType.MANDATORY)
  PackageView pack(HandOverRow row, String link) {
    Optional<KeyRow> key = keys.find(row.keyId);
    String file = key.map(k -> file(row, k)).orElse("");
    List<String> prints = key.map(Packages::fingerprints).orElse(List.of());
    return new PackageView(
        text(row, file, prints, link),
        file,
        key.map(k -> k.comment.replaceAll("[^A-Za-z0-9._-]", "-") + ".pub").orElse(""),
        prints,
        link);
  }

  /** A key as it is shown on a reply page. */
  record Shown(String whatToDo, String by, String key, List<String> fingerprints) {}

  @Transactional
  Shown shown(HandOverRow row) {
    Optional<KeyRow> key = keys.find(row.keyId);
    return new Shown(
        whatToDo(row),
        day(row.dueAt),
        key.map(k -> file(row, k)).orElse(""),
        key.map(Packages::fingerprints).orElse(List.of()));
  }

  /** A day as it is written to people, in UTC. */
  static String day(Instant when) {
    return DAY.format(when);
  }

  private static List<String> fingerprints(KeyRow key) {
    return List.of(key.fingerprint, "MD5:" + key.md5.replace("MD5:", ""));
  }

  private String file(HandOverRow row, KeyRow key) {
    Form form =
        GivenOut.FORMS.stream()
            .filter(f -> f.word().equals(row.form))
            .findFirst()
            .orElse(Form.ONE_LINE);
    PublicKey open = Access.key(key.blob);
    Optional<PlacementRow> placement =
        row.placementId == null ? Optional.empty() : placements.find(row.placementId);
    try {
      return GivenOut.write(
          open,
          key.comment,
          placement.map(p -> Limits.of(p).options()).orElse(KeyOptions.NONE),
          form);
    } catch (RefusedException cannotSayIt) {
      return open.line(key.comment) + "\n";
    }
  }

  private String text(HandOverRow row, String file, List<String> prints, String link) {
    StringBuilder text = new StringBuilder();
    text.append("To: ").append(row.toWhom).append(" (").append(row.contact).append(")\n");
    text.append("By: ").append(day(row.dueAt)).append("\n\n");
    text.append(whatToDo(row)).append("\n");
    if (!file.isEmpty() && row.kind != HandOverKind.SUPPLY) {
      text.append("\nThe key:\n\n").append(file);
    }
    if (!prints.isEmpty()) {
      text.append("\nBefore you do it, read its fingerprint to us over the telephone:\n");
      prints.forEach(p -> text.append("  ").append(p).append('\n'));
    }
    text.append("\nReply here; the link is good once, until ")
        .append(day(row.linkEndsAt))
        .append(":\n  ")
        .append(link)
        .append('\n');
    return text.toString();
  }

  /** What somebody is asked to do, in a few sentences. */
  String whatToDo(HandOverRow row) {
    String where = where(row);
    return switch (row.kind) {
      case REGISTER ->
          "Please register the key below for the account "
              + where
              + ", beside the keys that are there. Take none out yet: our programs still use them.";
      case TAKE_OUT ->
          "Please take the key below out of the account "
              + where
              + ". Our programs have not used it for a while, and sign in with another one that"
              + " must stay.";
      case SUPPLY ->
          "Please put the new private key in place at "
              + where
              + ": download it once from Tolvin (My keys), keep the old one beside it, have the"
              + " program sign in, and reply.";
      case THEIR_KEY ->
          "Please give us the public key that you sign in with to our account "
              + where
              + ", and read its fingerprint to us over the telephone. Never the private file.";
    };
  }

  private String where(HandOverRow row) {
    if (row.accountId != null) {
      AccountRow account = accounts.get(row.accountId);
      return account.login + " on " + destinations.get(row.destinationId).name;
    }
    return "your machine";
  }

  /** What is asked of whom, for the journal. */
  String sentence(HandOverRow row) {
    return row.toWhom
        + " is asked: "
        + switch (row.kind) {
          case REGISTER -> "register a key for " + where(row);
          case TAKE_OUT -> "take a key out of " + where(row);
          case SUPPLY -> "put a new private key in place";
          case THEIR_KEY -> "give us their key for " + where(row);
        };
  }
}
