package tolvin.service.sweep;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.nio.charset.StandardCharsets;
import java.util.List;
import java.util.Optional;
import java.util.UUID;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import tolvin.api.sweep.SettlingRequest;
import tolvin.core.authorized.AuthorizedKeys;
import tolvin.core.estate.Access;
import tolvin.core.estate.Custody;
import tolvin.core.estate.PlacementState;
import tolvin.core.estate.Purpose;
import tolvin.core.key.OneLine;
import tolvin.core.key.PlainText;
import tolvin.core.key.PublicKey;
import tolvin.core.key.RefusedException;
import tolvin.core.port.AccountPort;
import tolvin.service.job.JobKind;
import tolvin.service.job.Jobs;
import tolvin.service.key.Keys;
import tolvin.service.placement.Placements;
import tolvin.service.problem.Problem;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.identity.IdentityRow;
import tolvin.service.record.identity.IdentityStore;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.placement.PlacementRow;
import tolvin.service.record.placement.PlacementStore;
import tolvin.service.record.placement.Terms;
import tolvin.service.record.sweep.FindingRow;
import tolvin.service.store.ClockStore;

/** Takes what stands on an account into the record, or out of the account by way of the record. */
@ApplicationScoped
class Adoption {
  private static final Pattern PERHAPS = Pattern.compile("(?m)^perhaps: (.+)$");
  private static final int LONGEST_TITLE = 100;

  private final KeyStore keys;
  private final Keys newKeys;
  private final IdentityStore identities;
  private final PlacementStore placements;
  private final Placements newPlacements;
  private final ClockStore clock;
  private final Jobs jobs;

  Adoption(
      KeyStore keys,
      Keys newKeys,
      IdentityStore identities,
      PlacementStore placements,
      Placements newPlacements,
      ClockStore clock,
      Jobs jobs) {
    this.keys = keys;
    this.newKeys = newKeys;
    this.identities = identities;
    this.placements = placements;
    this.newPlacements = newPlacements;
    this.clock = clock;
    this.jobs = jobs;
  }

  /** The identity that a finding's evidence suggests, or the comment in it. */
  Optional<IdentityRow> suggestion(String evidence) {
    List<IdentityRow> all = identities.inForce();
    Matcher perhaps = PERHAPS.matcher(evidence);
    Optional<String> name =
        perhaps.find()
            ? Optional.of(perhaps.group(1))
            : Owners.among(all.stream().map(i -> i.name).toList())
                .apply(title(evidence.lines().findFirst().orElse("")));
    return name.flatMap(n -> all.stream().filter(i -> i.name.equals(n)).findFirst());
  }

  /** Whose a finding's key is, as it was asked for; empty if nobody knows. */
  Optional<IdentityRow> whose(FindingRow row, SettlingRequest settling) {
    if (settling.identityId() != null) {
      return Optional.of(identities.get(settling.identityId()));
    }
    return Boolean.TRUE.equals(settling.bySuggestion())
        ? suggestion(row.evidence)
        : Optional.empty();
  }

  /** The comment of an entry, which is all that is known of what it is for. */
  String title(String line) {
    Optional<AuthorizedKeys.Line> read = read(line);
    String comment = read.map(l -> PlainText.shown(l.comment())).map(String::strip).orElse("");
    String title = comment.isEmpty() ? "found there" : comment;
    return title.length() > LONGEST_TITLE ? title.substring(0, LONGEST_TITLE) : title;
  }

  private static Optional<AuthorizedKeys.Line> read(String line) {
    return AuthorizedKeys.of(line.getBytes(StandardCharsets.ISO_8859_1)).lines().stream()
        .filter(l -> l.key().isPresent())
        .findFirst();
  }

  private static PublicKey key(String line) {
    return read(line)
        .flatMap(AuthorizedKeys.Line::key)
        .or(
            () -> {
              try {
                return Optional.of(OneLine.read(line).orRefuse().key());
              } catch (RefusedException e) {
                return Optional.empty();
              }
            })
        .orElseThrow(
            () ->
                Problem.conflict(
                    "no-key",
                    "No key can be read in that entry any more.",
                    "Sweep the destination again."));
  }

  /** The live key of an entry, registered if it is not yet. */
  @Transactional(Transactional.TxType.MANDATORY)
  KeyRow register(PublicKey key, String comment, Optional<UUID> identity, Custody custody) {
    Optional<KeyRow> known = keys.live(key.fingerprintText());
    known
        .filter(k -> k.identityId == null)
        .ifPresent(k -> identity.ifPresent(i -> k.identityId = i));
    return known.orElseGet(
        () -> {
          KeyRow row = newKeys.add(key, comment, identity.orElse(null), custody, clock.now());
          keys.flush();
          return row;
        });
  }

  /** Takes an entry into the record as it stands there. */
  @Transactional(Transactional.TxType.MANDATORY)
  PlacementRow take(
      AccountRow account, String line, Optional<UUID> identity, Custody custody, String title) {
    PublicKey key = key(line);
    KeyRow row = register(key, title, identity, custody);
    Optional<PlacementRow> there = placements.live(row.id, account.id);
    if (there.isPresent()) {
      return there.get();
    }
    PlacementRow placement = newPlacements.asItStands(row, account, line, title);
    account.registered.stream()
        .filter(r -> r.line().equals(line))
        .findFirst()
        .ifPresent(
            r -> {
              placement.reference = r.reference();
              placement.endsAt = r.endsAt();
              placement.placedAt = r.addedAt() == null ? placement.placedAt : r.addedAt();
            });
    return placement;
  }

  /** Takes another line of a key that is placed there as the agreed one. */
  @Transactional(Transactional.TxType.MANDATORY)
  void takeLine(AccountRow account, String fingerprint, String line) {
    keys.live(fingerprint)
        .flatMap(k -> placements.live(k.id, account.id))
        .ifPresent(
            p -> {
              p.line = line;
              p.reason = null;
            });
  }

  /** Has an entry taken out exactly as it stands, on record like any other withdrawal. */
  @Transactional(Transactional.TxType.MANDATORY)
  void takeOut(AccountRow account, String fingerprint, String line, boolean overruled) {
    PublicKey key = key(line);
    KeyRow row =
        keys.live(fingerprint)
            .or(() -> keys.newest(fingerprint))
            .orElseGet(() -> register(key, title(line), Optional.empty(), Custody.ELSEWHERE));
    PlacementRow placement =
        placements
            .live(row.id, account.id)
            .orElseGet(() -> newPlacements.asItStands(row, account, line, title(line)));
    placement.line = line; // what stands there is what goes
    placement.state = PlacementState.WITHDRAWING;
    placement.overruled = overruled;
    placement.rotationId = null;
    jobs.add(JobKind.PLACEMENT, placement.id, clock.now());
  }

  /** An entry exactly as it stands somewhere, for the connectors. */
  AccountPort.Entry entry(String line) {
    return new AccountPort.Entry(
        line,
        key(line),
        title(line),
        Purpose.SIGN_IN,
        Access.WRITE,
        List.of(),
        Optional.empty(),
        Optional.empty());
  }

  private Optional<PlacementRow> lost(UUID key, UUID account) {
    return placements.lostOnAccounts(List.of(account)).stream()
        .filter(p -> p.keyId.equals(key))
        .reduce((a, b) -> b);
  }

  /** Leaves a key out that somebody else took out: its placement is over for good. */
  @Transactional(Transactional.TxType.MANDATORY)
  void letGo(AccountRow account, String fingerprint) {
    for (PlacementRow lost : placements.lostOnAccounts(List.of(account.id))) {
      if (keys.get(lost.keyId).fingerprint.equals(fingerprint)) {
        lost.lostAt = null;
      }
    }
    keys.live(fingerprint)
        .flatMap(k -> placements.live(k.id, account.id))
        .ifPresent(
            p -> {
              p.state = PlacementState.WITHDRAWN;
              p.withdrawnAt = clock.now();
              p.reason = PlacementRow.TAKEN_OUT;
              p.confirmAt = null;
            });
  }

  /** Places a key again that is missing, with a mark of its own. */
  @Transactional(Transactional.TxType.MANDATORY)
  void placeAgain(AccountRow account, String fingerprint) {
    KeyRow key =
        keys.live(fingerprint)
            .orElseThrow(
                () ->
                    Problem.conflict("key-ended", "That key is out of use.", "Place another one."));
    PlacementRow lost =
        placements
            .live(key.id, account.id)
            .or(() -> lost(key.id, account.id))
            .orElseThrow(() -> Problem.conflict("gone", "That placement is gone.", "Sweep again."));
    if (lost.withdrawnAt == null) {
      lost.state = PlacementState.WITHDRAWN;
      lost.withdrawnAt = clock.now();
      lost.reason = PlacementRow.TAKEN_OUT;
      lost.confirmAt = null;
    }
    lost.lostAt = null;
    placements.flush();
    newPlacements.want(key, account, null, Terms.of(lost));
  }
}
