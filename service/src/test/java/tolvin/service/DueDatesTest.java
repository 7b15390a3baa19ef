package tolvin.service;

import static org.hamcrest.Matchers.containsString;
import static org.hamcrest.Matchers.not;
import static tolvin.service.Caller.api;

import io.quarkus.test.common.QuarkusTestResource;
import io.quarkus.test.junit.QuarkusTest;
import java.time.Duration;
import java.util.HashMap;
import java.util.Map;
import org.junit.jupiter.api.Test;
import tolvin.standins.local.Ports;

/** When keys are due is kept with them, and never older than what it rests on. */
@QuarkusTest
@QuarkusTestResource(PostgresForTests.class)
class DueDatesTest {
  private static final Duration SOON = Duration.ofSeconds(20);

  private static long count(String condition, String key) {
    try {
      return PostgresForTests.postgres.count(
          "select count(*) from key_record where id = '" + key + "' and " + condition);
    } catch (java.io.IOException e) {
      throw new java.io.UncheckedIOException(e);
    }
  }

  private static void execute(String statement) {
    try {
      PostgresForTests.postgres.execute(statement);
    } catch (java.io.IOException e) {
      throw new java.io.UncheckedIOException(e);
    }
  }

  private static void kept(String condition, String key) {
    Ports.await("kept: " + condition, SOON, () -> count(condition, key) == 1);
  }

  @Test
  void aChangeOfRuleKeyOrHolderIsWorkedOutAnew() {
    String identity = Caller.addIdentity();
    String key =
        api()
            .body(Map.of("text", Caller.line(), "identityId", identity))
            .post("/api/v1/keys")
            .path("id");
    Map<String, Object> rule = new HashMap<>();
    rule.put("number", 910);
    rule.put("name", "the tide table");
    rule.put("identityId", identity);
    rule.put("every", "PT240H");
    rule.put("lead", "PT24H");
    rule.put("watch", "PT0S");
    api().body(rule).post("/api/v1/rules").then().statusCode(200);
    // told at once, kept a moment later
    api().get("/api/v1/keys/" + key).then().body("due.reason", containsString("the tide table"));
    String whenDue =
        "due_at = made_at + interval '10 days' and due_start_at = due_at - interval '1 day'";
    kept(whenDue, key);

    execute("update key_record set made_at = made_at - interval '3 days' where id = '" + key + "'");
    kept(whenDue, key);
    execute("update identity set team = 'another' where id = '" + identity + "'");
    kept(whenDue + " and due_by is not null", key);
    api().delete("/api/v1/rules/910").then().statusCode(204);
    api()
        .get("/api/v1/keys/" + key)
        .then()
        .body("due.reason", not(containsString("the tide table")));
    kept("(due_reason is null or due_reason not like '%tide table%')", key);
  }
}
