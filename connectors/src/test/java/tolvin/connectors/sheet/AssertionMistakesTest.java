package tolvin.connectors.sheet;

import static org.assertj.core.api.Assertions.assertThat;

import java.security.SecureRandom;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.MethodSource;
import tolvin.connectors.AccountSides;
import tolvin.connectors.http.AssertionTrials;
import tolvin.connectors.shared.Egress;
import tolvin.core.diagnosis.AssertionCircumstances;
import tolvin.core.diagnosis.Cause.Certainty;
import tolvin.core.diagnosis.CauseKind;
import tolvin.core.diagnosis.Circumstances.Books;
import tolvin.core.diagnosis.Diagnosis;
import tolvin.core.estate.Access;
import tolvin.core.estate.Purpose;
import tolvin.core.estate.SignInMode;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.SecretPair;
import tolvin.core.port.Connection;
import tolvin.core.port.Lease;
import tolvin.core.port.Place.OnSystem;
import tolvin.core.port.TrialPort.Attempt;
import tolvin.core.port.TrialPort.Trial;
import tolvin.standins.local.LocalPostgres;
import tolvin.standins.warehouse.Warehouse;

/**
 * Mistakes with a warehouse that is signed in to by an assertion, and that says the same sentence
 * whatever is wrong: made for real, alone and in pairs.
 */
class AssertionMistakesTest {
  private static final String SECRET = "an-api-secret-of-the-tests";
  private static final String SENTENCE = "Invalid token.";
  private static final SecureRandom RANDOM = new SecureRandom();
  private static final Clock CLOCK = Clock.systemUTC();
  private static final Steps STEPS = new Steps(CLOCK, Egress.ANYWHERE);

  private static LocalPostgres postgres;
  private static Warehouse warehouse;
  private static int number;

  @BeforeAll
  static void start() throws Exception {
    postgres = LocalPostgres.forTests();
    warehouse = Warehouse.start(postgres, 0, Warehouse.Shape.TABLE, SECRET, CLOCK);
  }

  @AfterAll
  static void stop() throws Exception {
    warehouse.close();
    postgres.close();
  }

  /** An account with a key, all right at first. */
  private static final class Scene {
    private final String login = "loader" + ++number;
    private final SecretPair pair = KeyPairMaker.ed25519(RANDOM);
    private boolean exists = true;
    private boolean isRegistered = true;
    private String change = "";
    private Clock clock = CLOCK;
    private String endpoint = warehouse.door().url();
    private Optional<Instant> placedAt = Optional.of(Instant.now().minus(Duration.ofDays(3)));
    private List<String> otherAccounts = List.of();

    Diagnosis explained() throws Exception {
      Connection connection =
          Sheets.connection(
              Sheets.read("lazarette.yaml"),
              warehouse.jdbcUrl(),
              Map.of("token-endpoint", endpoint),
              Warehouse.KEEPER,
              SECRET);
      OnSystem account = Sheets.account(connection, "login", login);
      SheetAccounts accounts = new SheetAccounts(STEPS);
      if (exists) {
        warehouse.account(login, "key");
      }
      if (exists && isRegistered) {
        accounts.place(
            account, Sheets.entry(pair.key(), "", Purpose.SIGN_IN, Access.WRITE), Lease.UNLIMITED);
      }
      if (!change.isEmpty()) {
        warehouse.change("update warehouse.login set " + change + " where name = ?", login);
      }
      Attempt attempt = SheetTrials.attempt(account, "", pair, List.of());
      Trial trial = new AssertionTrials(clock).attempt(attempt);
      if (trial.accepted()) {
        return new Diagnosis(List.of(), List.of());
      }
      assertThat(trial.answer()).contains(SENTENCE);
      return Diagnosis.of(
          new AssertionCircumstances(
              new AccountSides(accounts, new SheetStates(STEPS)).look(account),
              pair.key(),
              attempt.assertion().orElseThrow(),
              trial.answer(),
              SENTENCE,
              trial.clockAhead(),
              new Books(
                  placedAt,
                  Optional.empty(),
                  Duration.ZERO,
                  SignInMode.KEY,
                  otherAccounts,
                  Map.of()),
              Instant.now()));
    }
  }

  /** How a scene is spoilt. */
  @FunctionalInterface
  private interface Spoilt {
    void by(Scene scene);
  }

  /** A mistake; two go together if they touch different things. */
  private record Mistake(String name, CauseKind expected, String touches, Spoilt spoilt) {
    boolean goesWith(Mistake other) {
      return Arrays.stream(touches.split(" "))
          .noneMatch(List.of(other.touches.split(" "))::contains);
    }

    @Override
    public String toString() {
      return name;
    }
  }

  private static List<Mistake> mistakes() {
    return List.of(
        new Mistake(
            "the key was never registered",
            CauseKind.NOT_REGISTERED,
            "key",
            s -> {
              s.isRegistered = false;
              s.placedAt = Optional.empty();
            }),
        new Mistake(
            "somebody took the key out", CauseKind.REPLACED, "key", s -> s.isRegistered = false),
        new Mistake(
            "the key is on another account",
            CauseKind.WRONG_ACCOUNT,
            "key",
            s -> {
              s.isRegistered = false;
              s.placedAt = Optional.empty();
              s.otherAccounts = List.of("nightly@lake");
            }),
        new Mistake(
            "there is no such account",
            CauseKind.LOGIN_UNKNOWN,
            "key mode enabled",
            s -> s.exists = false),
        new Mistake(
            "the account is disabled",
            CauseKind.ACCOUNT_DISABLED,
            "enabled",
            s -> s.change += (s.change.isEmpty() ? "" : ", ") + "enabled = false"),
        new Mistake(
            "the password is in force",
            CauseKind.PASSWORD_IN_FORCE,
            "mode",
            s ->
                s.change += (s.change.isEmpty() ? "" : ", ") + "mode = 'password', password = 'x'"),
        new Mistake(
            "the clock of the machine that signs is ten minutes ahead",
            CauseKind.CLOCK,
            "clock",
            s -> s.clock = Clock.offset(CLOCK, Duration.ofMinutes(10))),
        new Mistake(
            "the token endpoint goes by another name than the system has",
            CauseKind.ASSERTION_NAMES,
            "names",
            s -> s.endpoint = s.endpoint.replace("127.0.0.1", "localhost")));
  }

  @Test
  void withoutAMistakeItLetsIn() throws Exception {
    assertThat(new Scene().explained().causes()).isEmpty();
  }

  @ParameterizedTest
  @MethodSource("mistakes")
  void theFirstCauseIsTheMistake(Mistake mistake) throws Exception {
    Scene scene = new Scene();
    mistake.spoilt().by(scene);
    Diagnosis diagnosis = scene.explained();
    assertThat(diagnosis.causes()).isNotEmpty();
    assertThat(diagnosis.causes().get(0).kind())
        .as(diagnosis.toString())
        .isEqualTo(mistake.expected());
    assertThat(diagnosis.causes().get(0).remedy()).isNotEmpty();
    assertThat(diagnosis.unknowns()).anyMatch(unknown -> unknown.contains("says nothing"));
  }

  @Test
  void ofTwoMistakesTheFirstCauseIsOne() throws Exception {
    int pairs = 0;
    for (Mistake one : mistakes()) {
      for (Mistake other : mistakes()) {
        if (!one.goesWith(other)) {
          continue;
        }
        Scene scene = new Scene();
        one.spoilt().by(scene);
        other.spoilt().by(scene);
        Diagnosis diagnosis = scene.explained();
        pairs++;
        assertThat(diagnosis.causes()).as(one + " and " + other).isNotEmpty();
        assertThat(diagnosis.causes().get(0).kind())
            .as(one + " and " + other + ": " + diagnosis)
            .isIn(one.expected(), other.expected());
        assertThat(
                diagnosis.causes().stream()
                    .filter(cause -> cause.certainty() == Certainty.CERTAIN)
                    .map(cause -> cause.kind())
                    .toList())
            .as("certain and wrong: " + one + " and " + other)
            .isSubsetOf(one.expected(), other.expected());
      }
    }
    assertThat(pairs).isGreaterThan(30);
  }
}
