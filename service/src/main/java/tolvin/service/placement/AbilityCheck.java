package tolvin.service.placement;

import java.util.Optional;
import tolvin.core.authorized.Admission;
import tolvin.core.authorized.AuthorizedKeys;
import tolvin.core.authorized.Mark;
import tolvin.core.estate.Access;
import tolvin.core.estate.Purpose;
import tolvin.core.give.GivenOut;
import tolvin.core.key.PublicKey;
import tolvin.core.server.ServerAbility;
import tolvin.core.sheet.Ability;
import tolvin.core.word.Words;
import tolvin.service.record.placement.Terms;

/** Whether a destination can do what is asked of it; the answer is a sentence, empty if it can. */
final class AbilityCheck {
  private static final String A_MARK = new Mark("tolvin:aaaaaaaaaaaaaaaa").value();

  private AbilityCheck() {}

  static String refuses(Ability can, PublicKey key, Terms terms) {
    Optional<String> byKey = can.refuses(key);
    if (byKey.isPresent()) {
      return byKey.get();
    }
    if (!can.purposes().contains(terms.purpose())) {
      return "A key there is for " + String.join(" or ", Words.all(can.purposes())) + ".";
    }
    if (!can.access().contains(terms.access())) {
      return "Access there is " + String.join(" or ", Words.all(can.access())) + ".";
    }
    if (!terms.limits().sources().isEmpty() && !can.limits().contains("sources")) {
      return "It cannot limit a key to addresses.";
    }
    if (!terms.limits().more().isEmpty()) {
      return "It knows no options of a line, such as a forced command.";
    }
    if (terms.limits().endsAt() != null && !can.limits().contains("end")) {
      return "It cannot end a key by itself.";
    }
    return can.title().map(rule -> title(rule, terms.title())).orElse("");
  }

  private static String title(Ability.Title rule, String title) {
    String whole = rule.mark() ? title + " " + A_MARK : title;
    if (rule.mark() && rule.longest() <= A_MARK.length()) {
      return "Its titles are too short for Tolvin's mark; let the sheet say mark: no.";
    }
    return rule.matches(whole) ? "" : "A title there has to match " + rule.pattern() + ".";
  }

  /** Of a server whose accounts keep their keys in files: by the rules that it reads them with. */
  static String refusesOverSsh(ServerAbility server, PublicKey key, Terms terms) {
    if (terms.purpose() != Purpose.SIGN_IN) {
      return "A key in its files is for signing in.";
    }
    if (terms.access() != Access.WRITE) {
      return "It cannot tell reading from writing; limit the key by a forced command.";
    }
    String line =
        GivenOut.authorizedLine(key, terms.title() + " " + A_MARK, terms.limits().options());
    AuthorizedKeys file = AuthorizedKeys.alone(line, server);
    String why =
        file.whyNot(line)
            .or(
                () ->
                    file.find(line)
                        .map(AuthorizedKeys.Line::admission)
                        .filter(a -> a.kind() == Admission.Kind.DOUBTFUL)
                        .map(Admission::why))
            .orElse("");
    return why.isEmpty() ? "" : "It would not take the entry: " + why + ".";
  }
}
