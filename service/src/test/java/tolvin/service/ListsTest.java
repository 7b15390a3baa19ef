package tolvin.service;

import static org.assertj.core.api.Assertions.assertThat;
import static tolvin.service.Caller.api;

import io.quarkus.test.common.QuarkusTestResource;
import io.quarkus.test.junit.QuarkusTest;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import org.junit.jupiter.api.Test;

/** Lists come in pages that leave nothing out, and are searched by parts of words. */
@QuarkusTest
@QuarkusTestResource(PostgresForTests.class)
class ListsTest {
  private static final String TAG = UUID.randomUUID().toString().substring(0, 8);
  private static final List<String> LOGINS =
      List.of("crane", "crane-two", "a_b", "axb", "isla@people", "FERRY");

  private static String server(String name) {
    return SweepTest.attach(
        Map.of("name", name, "family", "sftp-server", "keysPath", "/keys/{login}"));
  }

  private static List<String> found(String search) {
    List<String> logins = new ArrayList<>();
    Map<String, Object> query = new HashMap<>(Map.of("search", search, "limit", 2));
    while (true) {
      var page = api().queryParams(query).get("/api/v1/accounts").then().statusCode(200);
      List<Map<String, Object>> items = page.extract().path("items");
      items.stream()
          .filter(a -> a.get("destination").toString().contains(TAG))
          .forEach(a -> logins.add(a.get("login").toString()));
      String next = page.extract().path("next");
      if (next == null) {
        return logins;
      }
      query.put("after", next);
    }
  }

  @Test
  void accountsAreFoundByPartsOfTheirNames() {
    String east = server("east-" + TAG);
    String west = server("west-" + TAG);
    for (String login : LOGINS) {
      SweepTest.account(east, login, Map.of());
    }
    SweepTest.account(west, "crane", Map.of());
    assertThat(found("RAN")).containsExactlyInAnyOrder("crane", "crane-two", "crane");
    assertThat(found("a_b")).containsExactly("a_b");
    assertThat(found("%")).isEmpty();
    assertThat(found("ferry")).containsExactly("FERRY");
    assertThat(found("isla@people")).containsExactly("isla@people");
    assertThat(found("crane@west-" + TAG)).containsExactly("crane");
    assertThat(found("ne@east-" + TAG)).containsExactly("crane");
    assertThat(found("@WEST-" + TAG)).containsExactly("crane");
    assertThat(found("east-" + TAG)).containsExactlyInAnyOrderElementsOf(LOGINS);
    assertThat(found("nobody-" + TAG)).isEmpty();
  }

  @Test
  void seatsAndTiesComeInPagesAlsoForOneAccount() {
    String host = server("host-" + TAG);
    String account = SweepTest.account(host, "paged", Map.of());
    String integration =
        api()
            .body(Map.of("name", "pages-" + TAG, "owner", "Shore", "environment", "test"))
            .post("/api/v1/integrations")
            .path("id");
    List<String> seats = new ArrayList<>();
    List<String> ties = new ArrayList<>();
    for (int i = 0; i < 5; i++) {
      String seat =
          api()
              .body(
                  Map.of(
                      "hostId", host, "login", "paged", "path", "/p" + i, "address", "127.0.0.1"))
              .post("/api/v1/integrations/" + integration + "/seats")
              .path("id");
      seats.add(0, seat);
      ties.add(
          0,
          api()
              .body(
                  Map.of(
                      "accountId", account, "expectedInterval", "PT1H", "longestSession", "PT1M"))
              .post("/api/v1/seats/" + seat + "/ties")
              .path("id"));
    }
    assertThat(pages("/api/v1/seats", account)).isEqualTo(seats);
    assertThat(pages("/api/v1/ties", account)).isEqualTo(ties);
    assertThat(pages("/api/v1/seats", null)).containsAll(seats);
    assertThat(pages("/api/v1/ties", null)).containsAll(ties);
  }

  private static List<String> pages(String path, String account) {
    List<String> ids = new ArrayList<>();
    Map<String, Object> query = new HashMap<>(Map.of("limit", 2));
    if (account != null) {
      query.put("account", account);
    }
    do {
      var page = api().queryParams(query).get(path).then().statusCode(200).extract();
      ids.addAll(page.path("items.id"));
      query.put("after", page.path("next"));
    } while (query.get("after") != null);
    assertThat(ids).doesNotHaveDuplicates();
    return ids;
  }
}
