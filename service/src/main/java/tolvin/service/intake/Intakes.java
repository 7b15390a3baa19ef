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
import tolvin.api.intake.AdmissionView;
import tolvin.api.intake.CertificateView;
import tolvin.api.intake.ChoiceView;
import tolvin.api.intake.CorrectionView;
import tolvin.api.intake.IntakeRequest;
import tolvin.api.intake.IntakeResultView;
import tolvin.api.intake.LineResultView;
import tolvin.api.intake.LookView;
import tolvin.api.intake.PieceView;
import tolvin.api.intake.ReadKeyView;
import tolvin.api.intake.RefusalView;
import tolvin.core.estate.Custody;
import tolvin.core.form.Form;
import tolvin.core.intake.Correction;
import tolvin.core.intake.Intake;
import tolvin.core.intake.Item;
import tolvin.core.intake.Outcome;
import tolvin.core.key.Refusal;
import tolvin.core.proof.KeyCertificate;
import tolvin.core.rulebook.Rulebook;
import tolvin.core.rulebook.Verdict;
import tolvin.core.word.Words;
import tolvin.service.key.Keys;
import tolvin.service.problem.Problem;
import tolvin.service.record.destination.DestinationRow;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.identity.IdentityRow;
import tolvin.service.record.identity.IdentityStore;
import tolvin.service.record.placement.Terms;
import tolvin.service.rulebook.Judgements;
import tolvin.service.rulebook.Rulebooks;
import tolvin.service.rulebook.VerdictViews;
import tolvin.service.store.ClockStore;

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
  LookView look(byte[] content, UUID identityId, Custody custody) {
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
    List<PieceView> pieces = new ArrayList<>(items.size());
    int at = 0;
    int accepted = 0;
    for (Item item : items) {
      Keys.Judged verdict = item.outcome() instanceof Outcome.Key ? judged.get(at++) : null;
      accepted += verdict != null && verdict.isAccepted() ? 1 : 0;
      pieces.add(piece(item, verdict, places));
    }
    return new LookView(pieces, candidates.size(), accepted, items.size() - accepted);
  }

  @Transactional
  IntakeResultView take(IntakeRequest request) {
    if (request.lines() == null
        || request.lines().isEmpty()
        || request.lines().size() > MOST_LINES) {
      throw Problem.invalid(
          "The request holds no lines, or more than " + MOST_LINES + ".",
          "Send 1 to " + MOST_LINES + " lines at a time.");
    }
    Optional<IdentityRow> identity = Optional.ofNullable(request.identityId()).map(identities::get);
    Custody custody = Keys.custody(request.custody());
    Map<String, IdentityRow> names = new HashMap<>();
    if (request.byComment()) {
      identities.inForce().forEach(i -> names.put(i.name.toLowerCase(Locale.ROOT), i));
    }
    LineResultView[] results = new LineResultView[request.lines().size()];
    List<Integer> indexes = new ArrayList<>();
    List<Keys.Candidate> candidates = new ArrayList<>();
    for (int i = 0; i < request.lines().size(); i++) {
      String line = String.valueOf(request.lines().get(i));
      List<Item> items = Intake.read(line.getBytes(StandardCharsets.UTF_8));
      if (items.size() == 1 && items.get(0).outcome() instanceof Outcome.Key key) {
        Optional<IdentityRow> owner =
            request.byComment() ? byComment(key.comment(), names).or(() -> identity) : identity;
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
    List<LineResultView> all = List.of(results);
    return new IntakeResultView(
        count(all, "registered"),
        count(all, "there") + count(all, "again"),
        count(all, "refused") + count(all, "no-key"),
        all);
  }

  private static int count(List<LineResultView> results, String outcome) {
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

  private static LineResultView noKey(int index, List<Item> items) {
    Item item = items.get(0);
    String reason = "There are " + items.size() + " pieces on this line; one key was expected.";
    String remedy = "Give each key a line of its own.";
    if (items.size() == 1 && item.outcome() instanceof Outcome.Refused refused) {
      reason = refused.refusal().sentence();
      remedy = refused.refusal().remedy();
    } else if (items.size() == 1 && item.outcome() instanceof Outcome.Question question) {
      reason = question.sentence();
      remedy = "Say which reading is meant by giving that line alone.";
    } else if (items.size() == 1) {
      reason = "This is an OpenSSH certificate, not a plain public key.";
      remedy = "Register the public key that the certificate was made for.";
    }
    return new LineResultView(index, "no-key", null, null, null, 0, reason, remedy);
  }

  private LineResultView result(int index, Keys.Registered registered) {
    Keys.Judged judged = registered.judged();
    String print = judged.candidate().key().fingerprintText();
    String identity = judged.candidate().identity().map(i -> i.name).orElse(null);
    int warnings = (int) judged.verdict().notes().stream().filter(n -> !n.refuses()).count();
    if (registered.row().isPresent()) {
      UUID id = registered.row().get().id;
      return new LineResultView(index, "registered", id, print, identity, warnings, null, null);
    }
    if (judged.there().isPresent()) {
      String holder =
          identities.find(judged.there().get().identityId).map(i -> i.name).orElse(null);
      boolean foreign = judged.facts().otherHolder().isPresent();
      return new LineResultView(
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
      return new LineResultView(
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
    return new LineResultView(
        index,
        "refused",
        null,
        print,
        identity,
        warnings,
        note.sentence() + " Rule " + note.rule().number() + ": " + note.rule().name() + ".",
        note.remedy());
  }

  private PieceView piece(Item item, Keys.Judged judged, Optional<Places> places) {
    Outcome outcome = item.outcome();
    Outcome.Question question = outcome instanceof Outcome.Question q ? q : null;
    return new PieceView(
        item.number(),
        item.line(),
        item.lines(),
        item.form().map(Form::word).orElse(null),
        outcome.word(),
        item.corrections().stream()
            .sorted()
            .map((Correction m) -> new CorrectionView(m.word(), m.sentence()))
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
        judged == null ? null : VerdictViews.of(judged.verdict()),
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

    List<AdmissionView> mayGo(Keys.Judged judged) {
      String title = judged.candidate().comment();
      return all.stream()
          .map(
              d ->
                  new AdmissionView(
                      d.name,
                      VerdictViews.of(
                          rulebook.judge(
                              judged.facts().at(Judgements.place(d, Terms.signIn(title), now)),
                              now))))
          .toList();
    }
  }

  private static ReadKeyView view(Outcome.Key read) {
    return new ReadKeyView(
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
        Words.of(refusal.reason()),
        refusal.sentence(),
        refusal.remedy(),
        refusal.position() < 0 ? null : refusal.position());
  }

  private static CertificateView view(KeyCertificate c) {
    return new CertificateView(
        c.typeWord(),
        c.key().fingerprintText(),
        c.key().md5(),
        c.key().bits(),
        c.serial().toString(),
        c.host() ? "host" : "user",
        c.keyId(),
        c.principals(),
        c.validAfter().orElse(null),
        c.validBefore().orElse(null),
        c.criticalOptions(),
        c.extensions(),
        c.signed().authority().fingerprintText(),
        c.signed().algorithm(),
        c.signed().fault().orElse(null));
  }
}
