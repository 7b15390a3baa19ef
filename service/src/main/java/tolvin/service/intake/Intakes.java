package tolvin.service.intake;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import tolvin.core.form.Form;
import tolvin.core.form.KeyCertificate;
import tolvin.core.intake.Intake;
import tolvin.core.intake.Item;
import tolvin.core.intake.Mending;
import tolvin.core.intake.Outcome;
import tolvin.core.key.Refusal;
import tolvin.core.rulebook.Rulebook;
import tolvin.core.rulebook.Verdict;
import tolvin.service.destination.DestinationRow;
import tolvin.service.destination.DestinationStore;
import tolvin.service.identity.IdentityRow;
import tolvin.service.identity.IdentityStore;
import tolvin.service.intake.IntakeResource.ChoiceView;
import tolvin.service.intake.IntakeResource.IntakeResult;
import tolvin.service.intake.IntakeResource.IntakeWish;
import tolvin.service.intake.IntakeResource.LineResult;
import tolvin.service.intake.IntakeResource.Look;
import tolvin.service.intake.IntakeResource.MayGo;
import tolvin.service.intake.IntakeResource.MendingView;
import tolvin.service.intake.IntakeResource.Piece;
import tolvin.service.intake.IntakeResource.ReadKey;
import tolvin.service.intake.IntakeResource.RefusalView;
import tolvin.service.key.Keys;
import tolvin.service.placement.Terms;
import tolvin.service.rulebook.Judgements;
import tolvin.service.rulebook.Rulebooks;
import tolvin.service.rulebook.VerdictView;
import tolvin.service.store.ClockStore;
import tolvin.service.web.Problem;

/** Understands, judges and registers what comes in. */
@ApplicationScoped
public class Intakes {
  static final int MOST_LINES = 10_000;
  static final int MOST_PIECES = 20_000;
  private static final int FEW = 20;

  private final Keys keys;
  private final IdentityStore identities;
  private final DestinationStore destinations;
  private final Rulebooks rulebooks;
  private final ClockStore clock;

  Intakes(
      Keys keys,
      IdentityStore identities,
      DestinationStore destinations,
      Rulebooks rulebooks,
      ClockStore clock) {
    this.keys = keys;
    this.identities = identities;
    this.destinations = destinations;
    this.rulebooks = rulebooks;
    this.clock = clock;
  }

  @Transactional
  Look look(byte[] content, UUID identityId, String custody) {
    List<Item> items = Intake.read(content);
    if (items.size() > MOST_PIECES) {
      throw Problem.invalid(
          "There are "
              + items.size()
              + " pieces in this; "
              + MOST_PIECES
              + " are looked at at once.",
          "Give it in parts, or take it in with “tolvin key add FILE”, which does that by itself.");
    }
    Optional<IdentityRow> identity = Optional.ofNullable(identityId).map(identities::get);
    List<Keys.Candidate> candidates = new ArrayList<>();
    for (Item item : items) {
      if (item.outcome() instanceof Outcome.Key key) {
        candidates.add(
            new Keys.Candidate(key.key(), key.comment(), identity, Keys.custody(custody), null));
      }
    }
    List<Keys.Judged> judged = keys.judge(candidates);
    Optional<Places> places = items.size() <= FEW ? Optional.of(new Places()) : Optional.empty();
    List<Piece> pieces = new ArrayList<>(items.size());
    int at = 0;
    int accepted = 0;
    for (Item item : items) {
      Keys.Judged verdict = item.outcome() instanceof Outcome.Key ? judged.get(at++) : null;
      accepted += verdict != null && verdict.isAccepted() ? 1 : 0;
      pieces.add(piece(item, verdict, places));
    }
    return new Look(pieces, candidates.size(), accepted, items.size() - accepted);
  }

  @Transactional
  IntakeResult take(IntakeWish wish) {
    if (wish.lines() == null || wish.lines().isEmpty() || wish.lines().size() > MOST_LINES) {
      throw Problem.invalid(
          "The request holds no lines, or more than " + MOST_LINES + ".",
          "Send 1 to " + MOST_LINES + " lines at a time.");
    }
    Optional<IdentityRow> identity = Optional.ofNullable(wish.identityId()).map(identities::get);
    String custody = Keys.custody(wish.custody());
    Map<String, IdentityRow> names = new HashMap<>();
    if (wish.byComment()) {
      identities.inForce().forEach(i -> names.put(i.name.toLowerCase(Locale.ROOT), i));
    }
    LineResult[] results = new LineResult[wish.lines().size()];
    List<Integer> indexes = new ArrayList<>();
    List<Keys.Candidate> candidates = new ArrayList<>();
    for (int i = 0; i < wish.lines().size(); i++) {
      String line = String.valueOf(wish.lines().get(i));
      List<Item> items = Intake.read(line.getBytes(StandardCharsets.UTF_8));
      if (items.size() == 1 && items.get(0).outcome() instanceof Outcome.Key key) {
        Optional<IdentityRow> owner =
            wish.byComment() ? byComment(key.comment(), names).or(() -> identity) : identity;
        indexes.add(i);
        candidates.add(new Keys.Candidate(key.key(), key.comment(), owner, custody, null));
      } else {
        results[i] = noKey(i, items);
      }
    }
    List<Keys.Registered> registered = keys.registerAll(candidates);
    for (int i = 0; i < registered.size(); i++) {
      results[indexes.get(i)] = result(indexes.get(i), registered.get(i));
    }
    List<LineResult> all = List.of(results);
    return new IntakeResult(
        count(all, "registered"),
        count(all, "there") + count(all, "again"),
        count(all, "refused") + count(all, "no-key"),
        all);
  }

  private static int count(List<LineResult> results, String outcome) {
    return (int) results.stream().filter(r -> r.outcome().equals(outcome)).count();
  }

  /** The identity that a comment names: the whole of it, or what stands before an at sign. */
  private static Optional<IdentityRow> byComment(String comment, Map<String, IdentityRow> names) {
    String whole = comment.strip().toLowerCase(Locale.ROOT);
    int at = whole.indexOf('@');
    return Optional.ofNullable(names.get(whole))
        .or(
            () ->
                at <= 0
                    ? Optional.empty()
                    : Optional.ofNullable(names.get(whole.substring(0, at))));
  }

  private static LineResult noKey(int index, List<Item> items) {
    Item item = items.get(0);
    String reason = "There are " + items.size() + " pieces on this line; one key was expected.";
    String wayOut = "Give each key a line of its own.";
    if (items.size() == 1 && item.outcome() instanceof Outcome.Refused refused) {
      reason = refused.refusal().sentence();
      wayOut = refused.refusal().wayOut();
    } else if (items.size() == 1 && item.outcome() instanceof Outcome.Question question) {
      reason = question.sentence();
      wayOut = "Say which reading is meant by giving that line alone.";
    } else if (items.size() == 1) {
      reason = "This is an OpenSSH certificate, not a plain public key.";
      wayOut = "Register the public key that the certificate was made for.";
    }
    return new LineResult(index, "no-key", null, null, null, 0, reason, wayOut);
  }

  private LineResult result(int index, Keys.Registered registered) {
    Keys.Judged judged = registered.judged();
    String print = judged.candidate().key().fingerprintText();
    String identity = judged.candidate().identity().map(i -> i.name).orElse(null);
    int warnings = (int) judged.verdict().notes().stream().filter(n -> !n.refuses()).count();
    if (registered.row().isPresent()) {
      UUID id = registered.row().get().id;
      return new LineResult(index, "registered", id, print, identity, warnings, null, null);
    }
    if (judged.there().isPresent()) {
      String holder =
          identities.find(judged.there().get().identityId).map(i -> i.name).orElse(null);
      boolean foreign = judged.facts().otherHolder().isPresent();
      return new LineResult(
          index,
          foreign ? "refused" : "there",
          judged.there().get().id,
          print,
          holder,
          0,
          "This key is registered already, for " + (holder == null ? "nobody yet" : holder) + ".",
          foreign
              ? "One key belongs to one identity: make another one, or use that registration."
              : "Nothing needs to be done.");
    }
    if (registered.again()) {
      return new LineResult(
          index,
          "again",
          null,
          print,
          identity,
          0,
          "The same key stands further up.",
          "Nothing needs to be done.");
    }
    Verdict.Note note = judged.verdict().notes().get(0);
    return new LineResult(
        index,
        "refused",
        null,
        print,
        identity,
        warnings,
        note.sentence() + " Rule " + note.rule().number() + ": " + note.rule().name() + ".",
        note.wayOut());
  }

  private Piece piece(Item item, Keys.Judged judged, Optional<Places> places) {
    Outcome outcome = item.outcome();
    Outcome.Question question = outcome instanceof Outcome.Question q ? q : null;
    return new Piece(
        item.number(),
        item.line(),
        item.lines(),
        item.form().map(Form::word).orElse(null),
        word(outcome),
        item.mendings().stream()
            .sorted()
            .map((Mending m) -> new MendingView(m.word(), m.sentence()))
            .toList(),
        outcome instanceof Outcome.Key key ? view(key) : null,
        outcome instanceof Outcome.Certificate c ? view(c.certificate()) : null,
        question == null ? null : question.sentence(),
        question == null
            ? null
            : question.choices().stream()
                .map(c -> new ChoiceView(c.label(), c.line().isEmpty() ? null : c.line()))
                .toList(),
        outcome instanceof Outcome.Refused refused ? view(refused.refusal()) : null,
        judged == null ? null : judged.there().map(row -> row.id).orElse(null),
        judged == null
            ? null
            : judged
                .there()
                .map(row -> identities.find(row.identityId).map(i -> i.name).orElse("nobody yet"))
                .orElse(null),
        judged == null ? null : VerdictView.of(judged.verdict()),
        judged == null ? null : places.map(p -> p.mayGo(judged)).orElse(null));
  }

  /** Judges a key at each destination, with nothing but the usual. */
  private final class Places {
    private final Rulebook rulebook = rulebooks.current().rulebook();
    private final Instant now = clock.now();
    private final List<DestinationRow> all =
        destinations.inForce().stream()
            .sorted(Comparator.comparing((DestinationRow d) -> d.name))
            .toList();

    List<MayGo> mayGo(Keys.Judged judged) {
      String title = judged.candidate().comment();
      return all.stream()
          .map(
              d ->
                  new MayGo(
                      d.name,
                      VerdictView.of(
                          rulebook.judge(
                              judged.facts().at(Judgements.place(d, Terms.signIn(title), now)),
                              now))))
          .toList();
    }
  }

  private static String word(Outcome outcome) {
    if (outcome instanceof Outcome.Key) {
      return "key";
    }
    return outcome instanceof Outcome.Certificate
        ? "certificate"
        : outcome instanceof Outcome.Question ? "question" : "refused";
  }

  private static ReadKey view(Outcome.Key read) {
    return new ReadKey(
        read.key().fingerprintText(),
        read.key().md5(),
        read.key().type().word(),
        read.key().bits(),
        read.key().application().orElse(null),
        read.comment(),
        read.options().all().isEmpty() ? null : read.options().toString(),
        read.key().line(read.comment()));
  }

  private static RefusalView view(Refusal refusal) {
    return new RefusalView(
        refusal.reason().name().toLowerCase(Locale.ROOT).replace('_', '-'),
        refusal.sentence(),
        refusal.wayOut(),
        refusal.position() < 0 ? null : refusal.position());
  }

  private static IntakeResource.CertificateView view(KeyCertificate c) {
    return new IntakeResource.CertificateView(
        c.typeWord(),
        c.key().fingerprintText(),
        c.serial().toString(),
        c.host() ? "host" : "user",
        c.keyId(),
        c.principals(),
        c.validAfter().orElse(null),
        c.validBefore().orElse(null),
        c.criticalOptions(),
        c.extensions(),
        c.authority().fingerprintText(),
        c.signatureAlgorithm());
  }
}
