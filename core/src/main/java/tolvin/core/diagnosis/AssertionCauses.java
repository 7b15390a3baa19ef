package tolvin.core.diagnosis;

import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import tolvin.core.diagnosis.Cause.Certainty;
import tolvin.core.estate.Registered;
import tolvin.core.word.Words;

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
    account();
    about.registered().ifPresent(this::registered);
    key();
    clock();
    if (causes.stream().noneMatch(c -> c.certainty() != Certainty.POSSIBLE)) {
      names();
    }
    return causes;
  }

  private void account() {
    if (about.registered().isEmpty() && about.unreadable().contains("rows instead of")) {
      add(
          CauseKind.LOGIN_UNKNOWN,
          Certainty.CERTAIN,
          "The system has no account of that name.",
          about.unreadable());
    }
    if ("false".equals(about.state().get("enabled"))) {
      add(
          CauseKind.ACCOUNT_DISABLED,
          Certainty.CERTAIN,
          "The account is disabled.",
          "The system says: enabled = false.");
    }
    String mode = about.state().getOrDefault("sign-in-mode", Words.of(about.books().signInMode()));
    String evidence =
        about.state().containsKey("sign-in-mode")
            ? "The system says: sign-in mode = " + mode + "."
            : "On record: sign-in mode = " + mode + ".";
    if (mode.equals("password")) {
      add(
          CauseKind.PASSWORD_IN_FORCE,
          Certainty.CERTAIN,
          "For this account the password is in force; its keys, though they may be set, are not.",
          evidence);
    } else if (mode.equals("both")) {
      add(
          CauseKind.PASSWORD_TOO,
          Certainty.LIKELY,
          "The account wants its password besides the key.",
          evidence);
    }
  }

  private void registered(List<Registered> there) {
    Optional<Registered> ours =
        there.stream().filter(r -> r.key().equals(about.key().fingerprint())).findFirst();
    if (ours.isPresent()) {
      Optional<Instant> ends = ours.get().expires().filter(e -> !about.now().isBefore(e));
      ends.ifPresent(
          end ->
              add(
                  CauseKind.EXPIRED,
                  Certainty.CERTAIN,
                  "The key has ended there.",
                  "Its end was " + end + "."));
      about
          .books()
          .placedAt()
          .filter(at -> about.now().isBefore(at.plus(about.books().propagation())))
          .ifPresent(
              at ->
                  add(
                      CauseKind.NOT_YET_EVERYWHERE,
                      Certainty.LIKELY,
                      "The key was placed a moment ago and is not yet everywhere.",
                      "Placed at " + at + "."));
      return;
    }
    String found =
        there.isEmpty()
            ? "No key is registered on " + about.account() + "."
            : "Registered there: "
                + String.join(", ", there.stream().map(r -> r.key().value()).toList())
                + ".";
    if (about.books().placedAt().isPresent()) {
      add(
          CauseKind.REPLACED,
          Certainty.CERTAIN,
          "Tolvin placed the key, but it is not there any more.",
          found);
    } else if (!about.books().otherAccounts().isEmpty()) {
      add(
          CauseKind.WRONG_ACCOUNT,
          Certainty.CERTAIN,
          "The key stands on another account: "
              + String.join(", ", about.books().otherAccounts())
              + ".",
          found);
    } else {
      add(
          CauseKind.NOT_REGISTERED,
          Certainty.CERTAIN,
          "The key is not registered on the account.",
          found);
    }
  }

  private void key() {
    about
        .ability()
        .refuses(about.key())
        .ifPresent(
            why ->
                add(
                    about.ability().types().contains(about.key().type())
                        ? CauseKind.KEY_TOO_SHORT
                        : CauseKind.ALGORITHM_NOT_ALLOWED,
                    Certainty.LIKELY,
                    "The system does not take such a key.",
                    why));
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
    if (about.registered().isEmpty() && !about.unreadable().contains("rows instead of")) {
      unknowns.add("What is registered there could not be read: " + about.unreadable());
    }
    if (about.clockAhead().isEmpty()) {
      unknowns.add("The system does not tell its time.");
    }
    return unknowns;
  }
}
