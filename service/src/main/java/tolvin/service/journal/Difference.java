package tolvin.service.journal;

import java.util.LinkedHashMap;
import java.util.Map;
import java.util.Objects;

/** What a change made of a row: for each field that is another now, its value before and after. */
public final class Difference {
  private Difference() {}

  /**
   * The data of an entry.
   *
   * @param before the fields that matter, by their names; a value may be null
   * @param after the same fields after the change
   */
  public static Map<String, Map<String, String>> of(Map<String, ?> before, Map<String, ?> after) {
    Map<String, Map<String, String>> difference = new LinkedHashMap<>();
    after.forEach(
        (name, value) -> {
          if (!Objects.equals(before.get(name), value)) {
            Map<String, String> both = new LinkedHashMap<>();
            both.put("before", text(before.get(name)));
            both.put("after", text(value));
            difference.put(name, both);
          }
        });
    return difference;
  }

  private static String text(Object value) {
    return value == null ? "" : value.toString();
  }
}
