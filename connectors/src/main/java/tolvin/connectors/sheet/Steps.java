package tolvin.connectors.sheet;

import com.fasterxml.jackson.databind.JsonNode;
import java.time.Clock;
import java.time.Duration;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import tolvin.connectors.shared.Egress;
import tolvin.core.port.Connection;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.sheet.Meaning;
import tolvin.core.sheet.Meaning.Word;
import tolvin.core.sheet.Operation;
import tolvin.core.sheet.SystemSheet.Speech;

/**
 * Does what an operation of a sheet says: its requests in their order, captures, pages, the wait.
 * Whatever talks to systems by their sheets shares one, with its connections and access tokens.
 */
public final class Steps {
  private static final Duration USUAL_PATIENCE = Duration.ofSeconds(15);
  private static final int MOST_PAGES = 2000;
  private static final int MOST_ELEMENTS = 100_000;

  private final HttpTalk http;
  private final Egress egress;
  private final Duration patience;

  /**
   * Nothing yet.
   *
   * @param clock tells the times
   * @param egress where systems may be
   */
  public Steps(Clock clock, Egress egress) {
    this(new HttpTalk(clock, USUAL_PATIENCE, egress), egress, USUAL_PATIENCE);
  }

  private Steps(HttpTalk http, Egress egress, Duration patience) {
    this.http = http;
    this.egress = egress;
    this.patience = patience;
  }

  /** The same, over the same connections, waiting this long for each answer. */
  Steps within(Duration otherPatience) {
    return new Steps(http.within(otherPatience), egress, otherPatience);
  }

  /**
   * What came of it.
   *
   * @param answers the last request's answers, one for each page
   * @param values the values with everything captured
   * @param word what the last answer means
   */
  record Done(List<Answer> answers, Map<String, Object> values, Word word) {
    Answer last() {
      return answers.get(answers.size() - 1);
    }

    /** The elements of all pages. */
    List<JsonNode> elements(String each) {
      List<JsonNode> elements = new ArrayList<>();
      for (Answer answer : answers) {
        JsonNode list = Answer.found(answer.body(), each);
        (list.isObject() && each.isEmpty() ? List.of(list) : list).forEach(elements::add);
      }
      return elements;
    }
  }

  /**
   * Does an operation.
   *
   * @param fine what the last answer may mean besides having been done; anything else is thrown
   */
  Done run(Connection connection, Operation operation, Map<String, Object> given, Set<Word> fine)
      throws PortException {
    Map<String, Object> values = new HashMap<>(connection.settings());
    values.putAll(given);
    if (connection.sheet().speech() == Speech.SQL) {
      try (SqlTalk sql = SqlTalk.open(connection, patience, egress)) {
        Done done =
            through(connection, operation, values, fine, r -> sql.run((Operation.Sql) r, values));
        sql.commit();
        return done;
      }
    }
    return through(
        connection,
        operation,
        values,
        fine,
        r -> http.send(connection, (Operation.Http) r, values));
  }

  /**
   * Does an operation that changes something, of which the answer may get lost.
   *
   * @param fine what the last answer may mean besides having been done
   * @return the failure after which nobody knows whether it was done, so that it is looked for;
   *     empty if it was answered
   * @throws PortException if it was certainly not done
   */
  Optional<PortException> change(
      Connection connection, Operation operation, Map<String, Object> given, Set<Word> fine)
      throws PortException {
    try {
      run(connection, operation, given, fine);
      return Optional.empty();
    } catch (PortException e) {
      if (e.kind() != Kind.UNKNOWN_OUTCOME) {
        throw e;
      }
      return Optional.of(e);
    }
  }

  @FunctionalInterface
  private interface Asking {
    Answer ask(Operation.Request request) throws PortException;
  }

  private Done through(
      Connection connection,
      Operation operation,
      Map<String, Object> values,
      Set<Word> fine,
      Asking asking)
      throws PortException {
    List<Answer> answers = List.of();
    Word word = Word.DONE;
    for (int i = 0; i < operation.requests().size(); i++) {
      Operation.Request request = operation.requests().get(i);
      boolean last = i == operation.requests().size() - 1;
      answers =
          last && operation.pages().isPresent()
              ? pages(connection, operation, request, values, asking)
              : List.of(until(connection, operation, request, asking));
      Answer answer = answers.get(answers.size() - 1);
      word = meaning(connection, operation, answer);
      if (word != Word.DONE) {
        if (fine.contains(word)) {
          return new Done(answers, values, word);
        }
        throw refused(connection, operation, request, answer, word);
      }
      for (Map.Entry<String, String> capture : request.captures().entrySet()) {
        JsonNode from = one(connection, answer);
        String value = Answer.at(from, capture.getValue());
        if (!value.isEmpty()) {
          values.put(capture.getKey(), value);
        }
      }
    }
    return new Done(answers, values, word);
  }

  private Answer until(
      Connection connection, Operation operation, Operation.Request request, Asking asking)
      throws PortException {
    Answer answer = asking.ask(request);
    if (request.until().isEmpty()) {
      return answer;
    }
    Operation.Until until = request.until().get();
    long deadline = System.nanoTime() + until.within().toNanos();
    while (meaning(connection, operation, answer) == Word.DONE) {
      JsonNode from = one(connection, answer);
      if (until.is().contains(Answer.at(from, until.at()))) {
        return answer;
      }
      if (System.nanoTime() - deadline > 0) {
        throw new PortException(
            Kind.UNKNOWN_OUTCOME,
            connection.name()
                + " did not come to an end within "
                + until.within().toSeconds()
                + " s: "
                + answer.tried()
                + " still says “"
                + Answer.at(from, until.at())
                + "”.",
            "It is looked at again before anything else is done.");
      }
      try {
        Thread.sleep(until.every().toMillis());
      } catch (InterruptedException e) {
        Thread.currentThread().interrupt();
        throw new PortException(
            Kind.UNKNOWN_OUTCOME, connection.name() + ": interrupted.", "It is looked at again.");
      }
      answer = asking.ask(request);
    }
    return answer;
  }

  private List<Answer> pages(
      Connection connection,
      Operation operation,
      Operation.Request request,
      Map<String, Object> values,
      Asking asking)
      throws PortException {
    Operation.Pages pages = operation.pages().orElseThrow();
    List<Answer> answers = new ArrayList<>();
    Set<String> seen = new HashSet<>();
    int elements = 0;
    Answer answer = asking.ask(request);
    while (true) {
      answers.add(answer);
      if (meaning(connection, operation, answer) != Word.DONE) {
        return answers;
      }
      int here = Answer.found(answer.body(), operation.each()).size();
      elements += here;
      String next =
          pages.size() > 0
              ? here < pages.size() ? "" : String.valueOf(elements)
              : pages.next().isEmpty() ? answer.link() : Answer.at(answer.body(), pages.next());
      if (next.isEmpty()) {
        return answers;
      }
      if (!seen.add(next) || answers.size() >= MOST_PAGES || elements > MOST_ELEMENTS) {
        throw new PortException(
            Kind.UNEXPECTED,
            connection.name() + " gives pages without an end: " + answer.tried() + ".",
            "Look at what the sheet says about pages.");
      }
      if (pages.as().isEmpty()) {
        answer = http.follow(connection, (Operation.Http) request, values, next);
      } else {
        values.put(pages.as(), next);
        answer = asking.ask(request);
      }
    }
  }

  private static Word meaning(Connection connection, Operation operation, Answer answer) {
    for (List<Meaning> meanings : List.of(operation.meanings(), connection.sheet().meanings())) {
      for (Meaning meaning : meanings) {
        boolean state = meaning.states().isEmpty() || meaning.states().contains(answer.state());
        boolean said =
            meaning.at().isEmpty() && meaning.is().isEmpty()
                || meaning.is().contains(Answer.at(answer.body(), meaning.at()));
        if (state && said) {
          return meaning.means();
        }
      }
    }
    if (answer.good()) {
      return Word.DONE;
    }
    return switch (answer.state()) {
      case "401", "28P01" -> Word.SECRET_REFUSED;
      case "403", "42501" -> Word.NOT_ALLOWED;
      case "404", "410" -> Word.GONE;
      case "429", "503" -> Word.SLOW_DOWN;
      default -> Word.OUT_OF_ORDER;
    };
  }

  private static PortException refused(
      Connection connection,
      Operation operation,
      Operation.Request request,
      Answer answer,
      Word word) {
    boolean reading =
        request instanceof Operation.Http http
            ? http.method().equals("GET")
            : !operation.entries().isEmpty();
    boolean ours = answer.state().startsWith("4") || answer.state().length() == 5;
    Kind kind =
        switch (word) {
          case SECRET_REFUSED -> Kind.SIGN_IN_REFUSED;
          case FULL -> Kind.NO_SPACE;
          case GONE -> Kind.NO_ACCOUNT;
          case SLOW_DOWN -> Kind.UNREACHABLE;
          case OUT_OF_ORDER -> reading || ours ? Kind.UNEXPECTED : Kind.UNKNOWN_OUTCOME;
          default -> Kind.NOT_ALLOWED;
        };
    String remedy =
        switch (word) {
          case SECRET_REFUSED ->
              "Look whether Tolvin's secret there is still good; give a new one.";
          case NOT_ALLOWED -> "Give Tolvin's user there the right to do it.";
          case FULL -> "Withdraw a key that is no longer needed there first.";
          case TAKEN ->
              "A key stands on one account only there: find out on which, or use another.";
          case TITLE_TAKEN -> "Choose another title.";
          case NOT_ACCEPTED -> "Look which keys its administrator allows, and use such a one.";
          case SLOW_DOWN -> "It is tried again by itself, more slowly.";
          case GONE -> "Look whether the account is still there.";
          case ALREADY_THERE -> "Look at what stands there.";
          default -> "It is tried again by itself. Look at the system.";
        };
    return new PortException(
        kind,
        connection.name()
            + " answered "
            + answer.tried()
            + " with "
            + answer.state()
            + " ("
            + word.word()
            + ")"
            + (answer.said().isEmpty() || answer.said().equals("null")
                ? "."
                : ": " + answer.said() + (answer.said().endsWith(".") ? "" : ".")),
        remedy);
  }

  /** What captures and waits look at: the answer, of rows the first. */
  private static JsonNode one(Connection connection, Answer answer) {
    return connection.sheet().speech() == Speech.SQL ? answer.body().path(0) : answer.body();
  }

  /** How the clock of the system stands, by its last answer. */
  static Optional<Duration> clockAhead(Done done) {
    return done.last().clockAhead();
  }
}
