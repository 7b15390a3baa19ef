package tolvin.core.diagnosis;

import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import tolvin.core.diagnosis.Cause.Certainty;

/** What the account, the books and the clocks show of the causes of a refused assertion. */
final class AssertionCauses {
  /** More than this is more than an assertion's own life forgives. */
  private static final Duration HARMLESS = Duration.ofSeconds(5);

  private static final Duration CERTAIN = Duration.ofMinutes(2);

  private final AssertionCircumstances about;
  private final List<Cause> causes = new ArrayList<>();

  AssertionCauses(AssertionCircumstances about) {
    this.about = about;
  }

  List<Cause> find() {
    AccountCauses account = new AccountCauses(about.books(), about.now());
    account.ofAccount(about.account());
    about
        .account()
        .registered()
        .ifPresent(there -> account.ofKey(about.account(), there, about.key()));
    causes.addAll(account.all());
    clock();
    if (causes.stream().noneMatch(c -> c.certainty() != Certainty.POSSIBLE)) {
      names();
    }
    return causes;
  }

  private void clock() {
    about
        .clockAhead()
        .filter(ahead -> ahead.abs().compareTo(HARMLESS) > 0)
        .ifPresent(
            ahead ->
                add(
                    CauseKind.CLOCK,
                    ahead.abs().compareTo(CERTAIN) > 0 ? Certainty.CERTAIN : Certainty.LIKELY,
                    "The system's clock and ours differ by more than an assertion forgives.",
                    "Its clock is "
                        + ahead.abs().toSeconds()
                        + " s "
                        + (ahead.isNegative() ? "behind" : "ahead of")
                        + " ours."));
  }

  private void names() {
    add(
        CauseKind.ASSERTION_NAMES,
        Certainty.POSSIBLE,
        "What remains is how the assertion names account, key or audience.",
        "It says: issuer "
            + about.said().issuer()
            + ", subject "
            + about.said().subject()
            + ", audience "
            + about.said().audience()
            + ", key "
            + about.said().keyName()
            + ".");
  }

  private void add(CauseKind kind, Certainty certainty, String sentence, String evidence) {
    causes.add(new Cause(kind, certainty, sentence, List.of(evidence)));
  }

  static List<String> unknowns(AssertionCircumstances about) {
    List<String> unknowns = new ArrayList<>();
    if (!about.unhelpful().isEmpty() && about.answer().contains(about.unhelpful())) {
      unknowns.add(
          "The system's own answer, “"
              + about.unhelpful()
              + "”, says nothing: it is the same for every failure.");
    }
    unknowns.addAll(about.account().unknowns());
    if (about.clockAhead().isEmpty()) {
      unknowns.add("The system does not tell its time.");
    }
    return unknowns;
  }
}
