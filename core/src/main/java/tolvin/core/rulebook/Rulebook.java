package tolvin.core.rulebook;

import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Optional;
import tolvin.core.estate.IdentityKind;
import tolvin.core.rulebook.Facts.Holder;

/**
 * The rulebook of an organisation.
 *
 * @param rules what keys are acceptable, by number
 * @param exceptions what is let pass for now
 * @param cadences how often keys change, by number
 */
public record Rulebook(
    List<Rule> rules, List<RuleException> exceptions, List<CadenceRule> cadences) {

  /**
   * How often the keys of some identities change.
   *
   * @param number by which it is quoted
   * @param name whom it is for, in words
   * @param identityKind only for this kind; absent for all
   * @param identity only for this identity; absent for all
   * @param every the longest life of a key
   * @param lead how long before the due date its rotation starts
   * @param watch how long an old key is watched at least before it goes
   */
  public record CadenceRule(
      int number,
      String name,
      Optional<IdentityKind> identityKind,
      Optional<String> identity,
      Duration every,
      Duration lead,
      Duration watch) {

    boolean isFor(Holder holder) {
      return identity.map(holder.name()::equals).orElse(true)
          && identityKind.map(holder.kind()::equals).orElse(true);
    }
  }

  /** Judges a key, at its place if it has one. */
  public Verdict judge(Facts facts, Instant now) {
    List<Verdict.Note> notes = new ArrayList<>();
    for (Rule rule : rules) {
      if (!rule.when().holds(facts)) {
        continue;
      }
      for (Demand demand : rule.demands()) {
        Optional<Demand.Shortfall> shortfall = demand.check(facts, now);
        if (shortfall.isPresent()) {
          notes.add(
              new Verdict.Note(
                  rule,
                  shortfall.get().sentence(),
                  shortfall.get().remedy(),
                  exception(rule.number(), facts, now)));
        }
      }
    }
    if (notes.size() > 1) {
      notes.sort(Comparator.comparing(note -> !note.refuses()));
    }
    return new Verdict(notes);
  }

  private Optional<RuleException> exception(int rule, Facts facts, Instant now) {
    return exceptions.stream().filter(e -> e.covers(rule, facts, now)).findFirst();
  }

  /**
   * The cadence for an identity's keys: its own first, then its kind's, the lowest number first.
   */
  public Optional<CadenceRule> cadence(Holder holder) {
    return cadences.stream()
        .filter(c -> c.isFor(holder))
        .min(
            Comparator.comparing((CadenceRule c) -> c.identity().isEmpty())
                .thenComparing(CadenceRule::number));
  }
}
