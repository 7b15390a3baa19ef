package tolvin.cli;

import com.fasterxml.jackson.databind.JsonNode;
import java.util.LinkedHashMap;
import java.util.Map;

/** What somebody who is no administrator may ask for: their own keys and accounts. */
final class Own {
  private static final long PATIENCE = 60_000_000_000L;

  private Own() {}

  static boolean isAdministrator(Service service) throws Refused {
    return service.get("/session").get("role").asText().equals("administrator");
  }

  /** Finds LOGIN@DESTINATION, among one's own accounts for whoever is no administrator. */
  static JsonNode account(Service service, String text) throws Refused {
    if (isAdministrator(service)) {
      return AccountCommands.find(service, text);
    }
    for (JsonNode account : service.get("/mine").get("accounts")) {
      if (account.get("account").asText().equals(text) || account.get("id").asText().equals(text)) {
        return account;
      }
    }
    throw new Refused("“" + text + "” is none of your accounts. See: tolvin key mine");
  }

  /** Finds a key, among one's own for whoever is no administrator. */
  static JsonNode key(Service service, String text) throws Refused {
    if (isAdministrator(service)) {
      return KeyCommands.find(service, text);
    }
    for (JsonNode key : service.get("/mine").get("keys")) {
      String print = key.get("fingerprint").asText();
      if (print.equals(text)
          || key.get("id").asText().equals(text)
          || text.length() > 5 && (print.startsWith(text) || print.startsWith("SHA256:" + text))) {
        return key;
      }
    }
    throw new Refused("“" + text + "” is none of your keys. See: tolvin key mine");
  }

  /** Places a key and waits until it stands there, or does not. */
  static JsonNode place(Service service, String key, String account, String title) throws Refused {
    boolean administrator = isAdministrator(service);
    String accountId = account(service, account).get("id").asText();
    Map<String, Object> wish = new LinkedHashMap<>();
    wish.put("keyId", key);
    wish.put("accountId", accountId);
    wish.put("title", title);
    JsonNode placement = service.post(administrator ? "/placements" : "/mine/placements", wish);
    String id = placement.get("id").asText();
    long end = System.nanoTime() + PATIENCE;
    while (placement.get("state").asText().equals("wanted") && System.nanoTime() < end) {
      java.util.concurrent.locks.LockSupport.parkNanos(200_000_000L);
      if (administrator) {
        placement = service.get("/placements/" + id);
      } else {
        for (JsonNode own : service.get("/mine").get("keys")) {
          for (JsonNode there : own.get("placements")) {
            placement = there.get("id").asText().equals(id) ? there : placement;
          }
        }
      }
    }
    return placement;
  }
}
