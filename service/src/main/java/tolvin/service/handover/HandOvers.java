package tolvin.service.handover;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.time.Duration;
import java.time.Instant;
import java.util.Base64;
import java.util.HexFormat;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import tolvin.api.handover.AcceptanceRequest;
import tolvin.api.handover.PackageView;
import tolvin.api.handover.TheirKeyRequest;
import tolvin.core.estate.Custody;
import tolvin.core.form.Form;
import tolvin.core.handover.HandOverKind;
import tolvin.core.handover.HandOverState;
import tolvin.core.intake.Outcome;
import tolvin.core.key.FingerprintText;
import tolvin.core.key.PlainText;
import tolvin.core.key.PrivateKeyText;
import tolvin.core.key.PublicKey;
import tolvin.core.word.Words;
import tolvin.service.job.JobKind;
import tolvin.service.job.Jobs;
import tolvin.service.job.Wakening;
import tolvin.service.journal.Journal;
import tolvin.service.key.Keys;
import tolvin.service.placement.Placements;
import tolvin.service.problem.Checks;
import tolvin.service.problem.Problem;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationRow;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.handover.HandOverRow;
import tolvin.service.record.handover.HandOverStore;
import tolvin.service.record.identity.IdentityStore;
import tolvin.service.record.integration.SeatRow;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.placement.PlacementStore;
import tolvin.service.record.placement.Terms;
import tolvin.service.store.ClockStore;

/** Asks people elsewhere, and takes their replies. A reply is a word; only a trial confirms it. */
@ApplicationScoped
public class HandOvers {
  private static final Duration TIME_TO_DO_IT = Duration.ofDays(7);
  private static final Duration LINK_AFTER_DUE = Duration.ofDays(14);
  private static final Duration REMIND_EVERY = Duration.ofDays(2);
  private static final int LINK_BYTES = 32;
  private static final int LONGEST_REPLY = 2000;

  private final HandOverStore store;
  private final DestinationStore destinations;
  private final AccountStore accounts;
  private final KeyStore keys;
  private final Keys newKeys;
  private final IdentityStore identities;
  private final PlacementStore placements;
  private final Placements newPlacements;
  private final Packages packages;
  private final Wakening wakening;
  private final ClockStore clock;
  private final Journal journal;
  private final String url;
  private final Jobs jobs;

  HandOvers(
      HandOverStore store,
      DestinationStore destinations,
      AccountStore accounts,
      KeyStore keys,
      Keys newKeys,
      IdentityStore identities,
      PlacementStore placements,
      Placements newPlacements,
      Packages packages,
      Wakening wakening,
      ClockStore clock,
      Journal journal,
      @ConfigProperty(name = "tolvin.url") String url,
      Jobs jobs) {
    this.store = store;
    this.destinations = destinations;
    this.accounts = accounts;
    this.keys = keys;
    this.newKeys = newKeys;
    this.identities = identities;
    this.placements = placements;
    this.newPlacements = newPlacements;
    this.packages = packages;
    this.wakening = wakening;
    this.clock = clock;
    this.journal = journal;
    this.url = url;
    this.jobs = jobs;
  }

  /** One of them. */
  HandOverRow get(UUID id) {
    return store.get(id);
  }

  /** One of them, locked until the transaction ends. */
  HandOverRow lock(UUID id) {
    return store.lock(id);
  }

  /** What is asked of somebody about a key on an account, and not ended. */
  Optional<HandOverRow> live(HandOverKind kind, UUID account, UUID key) {
    return store.live(kind, account, key);
  }

  /**
   * Makes sure that a partner, or the keeper of an account's other source, is asked to register a
   * key, or to take it out.
   */
  @Transactional(Transactional.TxType.MANDATORY)
  HandOverRow ask(HandOverKind kind, AccountRow account, KeyRow key, UUID placement) {
    DestinationRow at = destinations.get(account.destinationId);
    return store
        .live(kind, account.id, key.id)
        .orElseGet(
            () -> {
              boolean partner = at.isPartner();
              HandOverRow row =
                  fresh(
                      kind,
                      at,
                      partner ? at.settings.get("to-whom") : account.otherSource,
                      partner ? at.settings.get("contact") : "the keeper of that source",
                      at.form().word(),
                      null);
              row.accountId = account.id;
              row.keyId = key.id;
              row.placementId = placement;
              return added(row);
            });
  }

  /** Makes sure that a seat's holder is asked to put a new private key in place. */
  @Transactional(Transactional.TxType.MANDATORY)
  HandOverRow askHolder(SeatRow seat, DestinationRow about, KeyRow key, String holder) {
    return store
        .live(HandOverKind.SUPPLY, seat.id, key.id)
        .orElseGet(
            () -> {
              HandOverRow row =
                  fresh(
                      HandOverKind.SUPPLY, about, holder, "in person", Form.ONE_LINE.word(), null);
              row.seatId = seat.id;
              row.keyId = key.id;
              return added(row);
            });
  }

  /** Asks a partner for a key of theirs, for an account of ours. */
  @Transactional
  HandOverRow askForTheirKey(TheirKeyRequest request) {
    AccountRow account = accounts.get(request.accountId());
    HandOverRow row =
        fresh(
            HandOverKind.THEIR_KEY,
            destinations.get(account.destinationId),
            Checks.text(request.toWhom(), "addressee"),
            Checks.text(request.contact(), "contact"),
            Form.ONE_LINE.word(),
            request.dueAt());
    row.accountId = account.id;
    return added(row);
  }

  private HandOverRow fresh(
      HandOverKind kind,
      DestinationRow at,
      String toWhom,
      String contact,
      String form,
      Instant due) {
    HandOverRow row = new HandOverRow();
    row.madeAt = clock.now();
    row.id = clock.id(row.madeAt);
    row.kind = kind;
    row.state = HandOverState.OPEN;
    row.destinationId = at.id;
    row.toWhom = toWhom;
    row.contact = contact;
    row.form = form;
    row.dueAt = due == null ? row.madeAt.plus(TIME_TO_DO_IT) : due;
    if (!row.dueAt.isAfter(row.madeAt)) {
      throw Problem.invalid("The date lies in the past.", "Give a later one.");
    }
    newLink(row);
    row.nextReminderAt = row.madeAt.plus(REMIND_EVERY);
    return row;
  }

  private HandOverRow added(HandOverRow row) {
    String sentence = packages.sentence(row);
    store.add(row);
    journal.write("hand-over.made", row.id, sentence, Map.of("to", row.toWhom));
    journal.tell("hand-over.made", row.id, sentence);
    return row;
  }

  /** A new link; the one before is worth nothing any more. */
  private String newLink(HandOverRow row) {
    byte[] secret = new byte[LINK_BYTES];
    clock.random().nextBytes(secret);
    String link = Base64.getUrlEncoder().withoutPadding().encodeToString(secret);
    row.linkHash = hash(link);
    row.linkEndsAt = row.dueAt.plus(LINK_AFTER_DUE);
    row.linkUsedAt = null;
    return link;
  }

  static String hash(String link) {
    try {
      return HexFormat.of()
          .formatHex(
              MessageDigest.getInstance("SHA-256").digest(link.getBytes(StandardCharsets.UTF_8)));
    } catch (NoSuchAlgorithmException impossible) {
      throw new IllegalStateException("every Java platform has SHA-256", impossible);
    }
  }

  /** The package, with a new link; links given before are worth nothing any more. */
  @Transactional
  PackageView pack(UUID id) {
    HandOverRow row = store.lock(id);
    if (!row.isLive()) {
      throw Problem.conflict(
          "hand-over-ended", "This hand-over is " + Words.said(row.state) + ".", "Make a new one.");
    }
    String link = url + "/reply/" + newLink(row);
    row.state = HandOverState.OPEN;
    journal.write("hand-over.packed", id, "Package for " + row.toWhom + " given out", Map.of());
    return packages.pack(row, link);
  }

  /** What a link leads to; empty if it leads to nothing any more. */
  @Transactional
  public Optional<HandOverRow> linked(String link) {
    Instant now = clock.now();
    return store
        .byLink(hash(link))
        .filter(row -> row.isLive() && row.linkUsedAt == null && now.isBefore(row.linkEndsAt));
  }

  /**
   * Takes a reply; the link is used up by it.
   *
   * @throws Problem if the reply cannot be taken; the link stays good then
   */
  @Transactional
  public void reply(String link, String name, String word, String theirKey, String note) {
    HandOverRow row =
        linked(link)
            .map(known -> store.lock(known.id))
            .filter(found -> found.linkUsedAt == null)
            .orElseThrow(
                () ->
                    new Problem(
                        410, "link-used", "Used", "This link was used.", "Ask for another one."));
    String said = Checks.oneOf(word, List.of("done", "not-done"), "reply");
    if (row.kind == HandOverKind.THEIR_KEY && said.equals("done")) {
      PublicKey key = theirs(theirKey);
      row.replyKey = key.line();
      row.replyFingerprint = key.fingerprintText();
    }
    Instant now = clock.now();
    String text = PlainText.shown(note == null ? "" : note.strip().replace('\n', ' '));
    row.reply =
        said
            + (text.isEmpty()
                ? ""
                : ": " + text.substring(0, Math.min(text.length(), LONGEST_REPLY)));
    row.replyName = Checks.text(name, "name");
    row.repliedAt = now;
    row.linkUsedAt = now;
    row.state = said.equals("done") ? HandOverState.REPLIED : HandOverState.OPEN;
    row.nextTrialAt = now;
    if (row.placementId != null) {
      jobs.wake(JobKind.PLACEMENT, row.placementId);
    }
    journal.write(
        "hand-over.replied",
        row.id,
        row.toWhom + " replied (" + row.replyName + "): " + row.reply,
        Map.of());
    journal.tell("hand-over.replied", row.id, row.toWhom + " replied: " + row.reply);
    wakening.all();
  }

  private static PublicKey theirs(String text) {
    if (PrivateKeyText.recognise((text == null ? "" : text).getBytes(StandardCharsets.UTF_8))
        .isPresent()) {
      throw Problem.invalid(
          "This is a private key. It was not kept; treat it as exposed, and make a new pair.",
          "Give the public one: the file that ends in .pub.");
    }
    Outcome.Key read = Keys.read(text);
    return read.key();
  }

  /** Believes a partner's key, after its fingerprint was compared with them. */
  @Transactional
  HandOverRow accept(UUID id, AcceptanceRequest acceptance) {
    HandOverRow row = store.lock(id);
    if (row.kind != HandOverKind.THEIR_KEY || row.replyKey == null || !row.isLive()) {
      throw Problem.conflict(
          "nothing-to-accept", "No key of theirs waits here.", "Wait for their reply.");
    }
    PublicKey key = Keys.read(row.replyKey).key();
    boolean same =
        FingerprintText.read(Checks.text(acceptance.fingerprint(), "fingerprint"))
            .filter(f -> f.against(f.same(key.fingerprint(), key.md5())).same())
            .isPresent();
    if (!same) {
      throw Problem.conflict(
          "fingerprint-differs",
          "That is not the fingerprint of the key that came: "
              + key.fingerprintText()
              + ". Nothing was done.",
          "Call them on a number that you have from elsewhere, and have it read to you once more.");
    }
    UUID owner = identities.get(acceptance.identityId()).id;
    Instant now = clock.now();
    KeyRow known =
        keys.live(key.fingerprintText())
            .orElseGet(() -> newKeys.add(key, "from " + row.toWhom, owner, Custody.ELSEWHERE, now));
    keys.flush();
    AccountRow account = accounts.lock(row.accountId);
    if (placements.live(known.id, account.id).isEmpty()) {
      newPlacements.want(known, account, null, Terms.signIn(row.toWhom));
    }
    row.keyId = known.id;
    confirm(row, "fingerprint compared");
    wakening.all();
    return row;
  }

  /** Gives a hand-over up. */
  @Transactional
  HandOverRow giveUp(UUID id, String reason) {
    HandOverRow row = store.lock(id);
    if (row.isLive()) {
      row.state = HandOverState.GIVEN_UP;
      row.endedBecause = Checks.text(reason, "reason");
      journal.write("hand-over.given-up", id, "Hand-over to " + row.toWhom + " given up", Map.of());
    }
    return row;
  }

  /** What was asked for is proven. */
  @Transactional(Transactional.TxType.MANDATORY)
  void confirm(HandOverRow row, String how) {
    row.state = HandOverState.CONFIRMED;
    row.confirmedAt = clock.now();
    row.lastTrial = how;
    journal.write(
        "hand-over.confirmed", row.id, packages.sentence(row) + ". Confirmed: " + how, Map.of());
  }

  /** Tells again of what nobody answered. */
  @Transactional
  void remind() {
    Instant now = clock.now();
    for (HandOverRow due : store.toRemind(now)) {
      HandOverRow row = store.lock(due.id);
      row.reminders++;
      row.nextReminderAt = now.plus(REMIND_EVERY);
      String sentence =
          packages.sentence(row)
              + (now.isAfter(row.dueAt)
                  ? "; that was due on " + Packages.day(row.dueAt)
                  : "; due on " + Packages.day(row.dueAt))
              + ". Remind them: "
              + row.contact;
      journal.write("hand-over.reminder", row.id, sentence, Map.of("number", row.reminders));
      journal.tell("hand-over.reminder", row.id, sentence);
    }
  }
}
