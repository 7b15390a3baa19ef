package tolvin.connectors.sheet;

import com.fasterxml.jackson.databind.JsonNode;
import java.time.Duration;
import java.util.Optional;

/**
 * What came back.
 *
 * @param tried what was asked, for sentences; without a secret
 * @param state the HTTP status, or the SQL state
 * @param body what was said; rows as a list of objects; a text as a text node
 * @param link the address of the next page, from the Link header; empty if there is none
 * @param clockAhead how far the system's clock is ahead of ours, if it told its time
 * @param good whether it is a success by itself
 */
record Answer(
    String tried,
    String state,
    JsonNode body,
    String link,
    Optional<Duration> clockAhead,
    boolean good) {

  /** A place in it as text; empty if there is nothing. */
  static String at(JsonNode node, String place) {
    JsonNode found = found(node, place);
    return found.isMissingNode() || found.isNull()
        ? ""
        : found.isValueNode() ? found.asText() : found.toString();
  }

  /** A place in it: a JSON pointer (RFC 6901), or a column. */
  static JsonNode found(JsonNode node, String place) {
    return node.at(place.isEmpty() || place.startsWith("/") ? place : "/" + place);
  }

  /** What it said, shortened for a sentence. */
  String said() {
    String text = body.isTextual() ? body.asText() : body.toString();
    String plain = tolvin.core.key.PlainText.shown(text.replaceAll("\\s+", " ").strip());
    return plain.length() > 200 ? plain.substring(0, 200) + "…" : plain;
  }
}
