package tolvin.core.sheet;

import java.util.ArrayList;
import java.util.List;
import java.util.stream.Collectors;
import tolvin.core.key.KeyType;
import tolvin.core.sheet.SystemSheet.AccountKind;
import tolvin.core.sheet.SystemSheet.SeatKind;
import tolvin.core.sheet.SystemSheet.TrialWay;
import tolvin.core.word.Words;

/**
 * Explains a sheet in words, so that whoever attaches a system can see what Tolvin will do there.
 */
public final class SheetWords {
  private final List<String> lines = new ArrayList<>();

  private SheetWords() {}

  /** One sentence for each line. */
  public static List<String> of(SystemSheet sheet) {
    SheetWords words = new SheetWords();
    words.sheet(sheet);
    return List.copyOf(words.lines);
  }

  private void sheet(SystemSheet sheet) {
    say(
        sheet.system()
            + " is a "
            + Words.said(sheet.family())
            + ", talked to "
            + switch (sheet.speech()) {
              case HTTP -> "over HTTP";
              case SQL -> "in SQL";
              case CONNECTOR -> "by the connector " + sheet.connector().orElse("");
            }
            + "; Tolvin gets in with "
            + switch (sheet.connects().with()) {
              case NOTHING -> "nothing";
              case TOKEN -> "a token in the header " + sheet.connects().header();
              case BASIC -> "user and password";
              case CERTIFICATE -> "a client certificate";
              case OAUTH2 -> "client credentials, given for an access token";
            }
            + ".");
    sheet
        .settings()
        .forEach(
            (name, setting) ->
                say(
                    "It needs the setting "
                        + name
                        + ": "
                        + setting.about()
                        + setting.usual().map(u -> " Usually " + u + ".").orElse("")));
    sheet.accounts().forEach(this::account);
    sheet.seats().forEach(this::seat);
    if (sheet.health().isEmpty()) {
      say("It cannot be looked after: the sheet names no cheap reading (health).");
    }
  }

  private void account(String name, AccountKind kind) {
    Ability can = kind.ability();
    say(
        "An account of the kind “"
            + name
            + "” holds "
            + (can.slotNames().isEmpty()
                ? can.slots() + (can.slots() == 1 ? " key" : " keys")
                : "one key in each of " + String.join(", ", can.slotNames()))
            + ", as "
            + can.form().label()
            + ": "
            + can.types().stream()
                .map(KeyType::label)
                .sorted()
                .distinct()
                .collect(Collectors.joining(", "))
            + (can.types().contains(KeyType.RSA)
                ? " (RSA of " + can.rsaLeast() + " to " + can.rsaMost() + " bits)"
                : "")
            + ".");
    say(
        can.title()
            .map(
                t ->
                    "Its keys have titles of at most "
                        + t.longest()
                        + " characters"
                        + (t.mark() ? ", with Tolvin's mark at the end." : ", without a mark."))
            .orElse("Its keys have no titles; Tolvin knows its own by the key alone."));
    say(
        "A key is for "
            + either(Words.all(can.purposes()))
            + ", with access to "
            + either(Words.all(can.access()))
            + (can.limits().isEmpty()
                ? "; it cannot be limited there."
                : "; it can be limited by " + either(can.limits()) + "."));
    say(
        (can.propagation().isZero()
                ? "A change counts at once"
                : "A change is everywhere after " + can.propagation().toSeconds() + " s")
            + can.reportsUse()
                .map(
                    exact ->
                        "; the last use of each key is reported, exact to "
                            + (exact.toSeconds() < 120
                                ? exact.toSeconds() + " s."
                                : exact.toHours() < 48
                                    ? exact.toMinutes() + " min."
                                    : exact.toDays() + " days."))
                .orElse("; uses are not reported, so nobody can see whether a key is needed."));
    kind.list().ifPresent(o -> say("To read what is registered: " + steps(o)));
    kind.place().ifPresent(o -> say("To place a key: " + steps(o)));
    kind.withdraw().ifPresent(o -> say("To withdraw one: " + steps(o)));
    say(kind.trial().map(SheetWords::trial).orElse("Nobody can try a sign-in by this sheet."));
  }

  private static String trial(TrialWay way) {
    return way.way().equals("assertion")
        ? "A sign-in is tried by an assertion for "
            + way.target()
            + ", from "
            + way.issuer()
            + ", with the key named "
            + way.keyName()
            + (way.unhelpful().isEmpty()
                ? "."
                : "; it answers every failure with “" + way.unhelpful() + "”.")
        : "A sign-in is tried over "
            + way.way()
            + " as "
            + way.login()
            + " at "
            + way.host()
            + (way.target().text().isEmpty() ? "." : ", on " + way.target() + ".");
  }

  private void seat(String name, SeatKind kind) {
    say(
        "A seat of the kind “"
            + name
            + "” holds one private key in "
            + kind.form().title()
            + (kind.keepsFormer()
                ? ", and keeps the former one beside to roll back to."
                : " and nothing beside: rolling back needs the old one from the coffer."));
    say("To read which key it holds: " + steps(kind.read()));
    say("To supply it: " + steps(kind.supply()));
    say(
        kind.trial()
            .map(t -> "It can be asked to sign in itself: " + steps(t.run()))
            .orElse("It cannot be asked to sign in; its next run is waited for."));
  }

  private static String steps(Operation operation) {
    String steps =
        operation.requests().stream().map(SheetWords::step).collect(Collectors.joining(", then "));
    return steps + operation.pages().map(p -> ", page by page").orElse("") + ".";
  }

  private static String step(Operation.Request request) {
    String what;
    if (request instanceof Operation.Http http) {
      what = http.method() + " " + http.path();
    } else {
      what = "“" + statement(((Operation.Sql) request).statement()) + "”";
    }
    return what
        + request
            .until()
            .map(
                u ->
                    " until "
                        + u.at()
                        + " is "
                        + String.join(" or ", u.is())
                        + " (at most "
                        + u.within().toSeconds()
                        + " s)")
            .orElse("");
  }

  private static String statement(SqlTemplate template) {
    StringBuilder text = new StringBuilder();
    for (SqlTemplate.Part part : template.parts()) {
      if (part instanceof SqlTemplate.Plain p) {
        text.append(p.text());
      } else if (part instanceof SqlTemplate.Bound p) {
        text.append("the ").append(p.name());
      } else if (part instanceof SqlTemplate.QuotedName p) {
        text.append("\"").append(p.name()).append("\"");
      } else if (part instanceof SqlTemplate.QuotedText p) {
        text.append("'").append(p.name()).append("'");
      } else {
        text.append("SLOT");
      }
    }
    return text.toString().replaceAll("\\s+", " ");
  }

  private static String either(java.util.Set<String> words) {
    return words.stream().sorted().collect(Collectors.joining(" or "));
  }

  private void say(String sentence) {
    lines.add(sentence);
  }
}
