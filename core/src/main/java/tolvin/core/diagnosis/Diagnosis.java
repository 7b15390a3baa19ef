package tolvin.core.diagnosis;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import tolvin.core.diagnosis.Cause.Certainty;
import tolvin.core.diagnosis.Circumstances.Outcome;

/**
 * The causes of a failed sign-in, most likely first, and what is not known.
 *
 * @param causes at least one, unless the sign-in succeeded
 * @param unknowns what could not be looked at, each with how to find out
 */
public record Diagnosis(List<Cause> causes, List<String> unknowns) {

  /** Copies what can be copied. */
  public Diagnosis {
    causes = List.copyOf(causes);
    unknowns = List.copyOf(unknowns);
  }

  /**
   * Explains a sign-in. What is certain comes first; among the equally certain, what a sign-in
   * meets first, since that hides the rest.
   */
  public static Diagnosis of(Circumstances about) {
    if (about.outcome() == Outcome.ACCEPTED) {
      return new Diagnosis(List.of(), List.of());
    }
    if (about.outcome() == Outcome.AS_ANOTHER) {
      return new Diagnosis(List.of(asAnother(about.books().otherAccounts())), List.of());
    }
    List<Cause> found = new ArrayList<>();
    about.client().ifPresent(client -> found.addAll(new ClientCauses(about, client).find()));
    found.addAll(new ServerCauses(about).find());
    List<String> unknowns = unknowns(about);
    Map<CauseKind, Cause> best = new LinkedHashMap<>();
    for (Cause cause : found) {
      best.merge(cause.kind(), cause, Diagnosis::joined);
    }
    List<Cause> causes = new ArrayList<>(best.values());
    causes.sort(Comparator.comparing(Cause::certainty).thenComparing(Cause::kind));
    if (causes.isEmpty()) {
      causes.add(
          new Cause(
              CauseKind.UNKNOWN,
              Certainty.POSSIBLE,
              "Nothing that is known explains it.",
              List.of("Nothing unusual was found where Tolvin can look.")));
    }
    return new Diagnosis(causes, unknowns);
  }

  private static Cause asAnother(List<String> others) {
    return new Cause(
        CauseKind.WRONG_ACCOUNT,
        Certainty.CERTAIN,
        "The key lets in there, but as another account: it counts for one account only.",
        List.of(
            others.isEmpty()
                ? "The server's answer names the account."
                : "On record it is placed on " + String.join(", ", others) + "."));
  }

  /** Explains a signed assertion that was refused, often with a sentence that says nothing. */
  public static Diagnosis of(AssertionCircumstances about) {
    List<Cause> causes = new ArrayList<>(new AssertionCauses(about).find());
    causes.sort(Comparator.comparing(Cause::certainty).thenComparing(Cause::kind));
    return new Diagnosis(causes, AssertionCauses.unknowns(about));
  }

  private static Cause joined(Cause one, Cause other) {
    Cause surer = one.certainty().compareTo(other.certainty()) <= 0 ? one : other;
    List<String> evidence = new ArrayList<>(one.evidence());
    other.evidence().stream().filter(e -> !evidence.contains(e)).forEach(evidence::add);
    return new Cause(surer.kind(), surer.certainty(), surer.sentence(), evidence);
  }

  private static List<String> unknowns(Circumstances about) {
    List<String> unknowns = new ArrayList<>();
    if (about.client().isEmpty()) {
      unknowns.add(
          "What the client offers and in which order is not known. On its machine, run: tolvin trial"
              + " run ACCOUNT --here");
    }
    boolean log = about.server().flatMap(Circumstances.ServerSide::log).isPresent();
    boolean file = about.server().filter(side -> !side.keysFiles().isEmpty()).isPresent();
    String asked = " for the lines about " + about.wanted().login() + ".";
    if (!log && about.account().isEmpty()) {
      unknowns.add(
          "What the server says of it is not known. Let Tolvin read the sign-in log (tolvin"
              + " destination change --log), or ask its administrator"
              + asked);
    } else if (!log) {
      unknowns.add(
          "What the server says of it is not known. If it is attached, give Tolvin a management"
              + " login and the log there; otherwise ask its administrator"
              + asked);
    }
    about.account().ifPresent(side -> unknowns.addAll(side.unknowns()));
    if (!file && about.account().isEmpty()) {
      unknowns.add(
          "The account's keys, and the modes along the path to them, could not be looked at. Ask the"
              + " server's administrator for them.");
    }
    return unknowns;
  }
}
