package tolvin.core.diagnosis;

import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import tolvin.core.diagnosis.Cause.Certainty;
import tolvin.core.diagnosis.Circumstances.Books;
import tolvin.core.estate.Purpose;
import tolvin.core.estate.Registered;
import tolvin.core.estate.SignInMode;
import tolvin.core.key.PublicKey;
import tolvin.core.word.Words;

/** What the system that keeps an account's keys, and the books, show of the causes. */
final class AccountCauses {
  private final Books books;
  private final Instant now;
  private final List<Cause> causes = new ArrayList<>();

  AccountCauses(Books books, Instant now) {
    this.books = books;
    this.now = now;
  }

  /** All that were found. */
  List<Cause> all() {
    return causes;
  }

  /** What the system says of the account, whatever key was used. */
  AccountCauses ofAccount(AccountSide side) {
    side.unread()
        .filter(AccountSide.Unread::noAccount)
        .ifPresent(
            unread ->
                add(
                    CauseKind.LOGIN_UNKNOWN,
                    Certainty.LIKELY, // it may only be that Tolvin's user there does not see it
                    "The system shows no account of that name.",
                    unread.sentence()));
    if ("false".equals(side.state().get("enabled"))) {
      certain(
          CauseKind.ACCOUNT_DISABLED,
          "The account is disabled.",
          "The system says: enabled = false.");
    }
    mode(side.state());
    return this;
  }

  private void mode(Map<String, String> state) {
    boolean said = state.containsKey("sign-in-mode");
    String mode = state.getOrDefault("sign-in-mode", Words.of(books.signInMode()));
    String evidence = (said ? "The system says" : "On record") + ": sign-in mode = " + mode + ".";
    if (mode.equals(Words.of(SignInMode.PASSWORD))) {
      add(
          CauseKind.PASSWORD_IN_FORCE,
          said ? Certainty.CERTAIN : Certainty.LIKELY,
          "For this account the password is in force; its keys, though they may be set, are not.",
          evidence);
    } else if (mode.equals(Words.of(SignInMode.BOTH))) {
      add(
          CauseKind.PASSWORD_TOO,
          Certainty.LIKELY,
          "The account wants its password besides the key.",
          evidence);
    }
  }

  /** What became of a key on an account that was read. */
  AccountCauses ofKey(AccountSide side, List<Registered> there, PublicKey key) {
    Optional<Registered> ours =
        there.stream().filter(r -> r.key().equals(key.fingerprint())).findFirst();
    if (ours.isPresent()) {
      signingOnly(there, ours.get());
      ours.get()
          .expires()
          .filter(end -> !now.isBefore(end))
          .ifPresent(
              end ->
                  certain(
                      CauseKind.EXPIRED, "The key has ended there.", "Its end was " + end + "."));
      copied("It is registered on " + side.name() + ".");
    } else {
      notThere(
          there.isEmpty()
              ? "No key is registered on " + side.name() + "."
              : "Registered on "
                  + side.name()
                  + ": "
                  + String.join(", ", there.stream().map(r -> r.key().value()).toList())
                  + ".");
    }
    side.ability()
        .flatMap(ability -> ability.refuses(key))
        .ifPresent(
            why ->
                add(
                    side.ability().get().types().contains(key.type())
                        ? CauseKind.KEY_TOO_SHORT
                        : CauseKind.ALGORITHM_NOT_ALLOWED,
                    Certainty.LIKELY,
                    "The system does not take such a key.",
                    why));
    return this;
  }

  /** A key can be registered twice, for one thing each. */
  private void signingOnly(List<Registered> there, Registered ours) {
    boolean only =
        there.stream()
            .filter(r -> r.key().equals(ours.key()))
            .allMatch(r -> r.details().purpose() == Purpose.SIGNING);
    if (only) {
      certain(
          CauseKind.SIGNING_ONLY,
          "The key is registered there for signing, not for signing in.",
          "Its entry is “" + ours.details().title() + "”.");
    }
  }

  /**
   * A key is not where it should be.
   *
   * @param evidence what was seen there instead
   */
  AccountCauses notThere(String evidence) {
    boolean copying = copied(evidence);
    if (books.placedAt().isPresent()) {
      add(
          CauseKind.REPLACED,
          copying ? Certainty.POSSIBLE : Certainty.CERTAIN,
          "Tolvin placed the key there at "
              + books.placedAt().get()
              + ", and somebody has taken it out since.",
          evidence);
    } else if (!books.otherAccounts().isEmpty()) {
      certain(
          CauseKind.WRONG_ACCOUNT,
          "The key is registered on "
              + String.join(", ", books.otherAccounts())
              + ", not on this account.",
          evidence);
    } else {
      certain(CauseKind.NOT_REGISTERED, "The key is not registered on the account.", evidence);
    }
    return this;
  }

  /** Says so if the key was placed so lately that it need not be everywhere yet. */
  private boolean copied(String evidence) {
    Optional<Cause> copying = beingCopied(books, now, evidence);
    copying.ifPresent(causes::add);
    return copying.isPresent();
  }

  /** That a key was placed so lately that it need not be everywhere yet; empty if it must be. */
  static Optional<Cause> beingCopied(Books books, Instant now, String evidence) {
    Duration takes = books.propagation();
    return books
        .placedAt()
        .filter(at -> now.isBefore(at.plus(takes)))
        .map(
            at ->
                new Cause(
                    CauseKind.NOT_YET_EVERYWHERE,
                    Certainty.LIKELY,
                    "The key was placed a moment ago, and this destination takes "
                        + takes.toSeconds()
                        + " s to copy it everywhere.",
                    List.of("Placed at " + at + ". " + evidence)));
  }

  private void certain(CauseKind kind, String sentence, String evidence) {
    add(kind, Certainty.CERTAIN, sentence, evidence);
  }

  private void add(CauseKind kind, Certainty certainty, String sentence, String evidence) {
    causes.add(new Cause(kind, certainty, sentence, List.of(evidence)));
  }
}
