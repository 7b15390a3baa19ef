package tolvin.connectors.sheet;

import com.fasterxml.jackson.databind.JsonNode;
import java.nio.charset.StandardCharsets;
import java.time.DateTimeException;
import java.time.Duration;
import java.time.Instant;
import java.time.OffsetDateTime;
import java.util.ArrayList;
import java.util.HexFormat;
import java.util.List;
import java.util.Optional;
import java.util.stream.Collectors;
import tolvin.core.estate.Access;
import tolvin.core.estate.Purpose;
import tolvin.core.estate.Registered;
import tolvin.core.intake.Intake;
import tolvin.core.intake.Item;
import tolvin.core.intake.Outcome;
import tolvin.core.key.Fingerprint;
import tolvin.core.key.FingerprintText;
import tolvin.core.key.PublicKey;
import tolvin.core.sheet.EntryLine;
import tolvin.core.sheet.Operation;
import tolvin.core.sheet.SystemSheet.AccountKind;
import tolvin.core.word.Words;

/** Reads what is registered out of the elements of an answer. */
final class Entries {
  private Entries() {}

  /**
   * What stands in one place.
   *
   * @param registered the key, if it could be read
   * @param slot the slot that it stands in
   */
  record Found(Optional<Registered> registered, String slot) {}

  /**
   * Reads.
   *
   * @param clockAhead how far the system's clock is ahead of ours: its times are set back by that
   */
  static List<Found> of(
      List<JsonNode> elements, Operation operation, AccountKind kind, Duration clockAhead) {
    List<Found> found = new ArrayList<>();
    for (JsonNode element : elements) {
      for (Operation.Entry entry : operation.entries()) {
        String text = text(element, entry);
        if (!text.isEmpty()) {
          found.add(one(element, entry, text, kind, clockAhead));
        }
      }
    }
    return found;
  }

  /** The key, or its fingerprint, as the system shows it; empty text if there is none. */
  static String text(JsonNode element, Operation.Entry entry) {
    return entry.key().isEmpty()
        ? Answer.at(element, entry.fingerprint())
        : entry.key().stream()
            .map(place -> Answer.at(element, place))
            .filter(part -> !part.isEmpty())
            .collect(Collectors.joining(" "));
  }

  private static Found one(
      JsonNode element, Operation.Entry entry, String text, AccountKind kind, Duration ahead) {
    String slot =
        entry.slot().startsWith("=") ? entry.slot().substring(1) : at(element, entry.slot());
    String title = at(element, entry.title());
    Registered.Details details =
        new Registered.Details(
            at(element, entry.reference()),
            slot,
            title,
            time(at(element, entry.added()), ahead),
            time(at(element, entry.used()), ahead),
            meant(Purpose.class, kind, "purpose", element, entry.purpose(), Purpose.SIGN_IN));
    Optional<Instant> ends = time(at(element, entry.ends()), ahead);
    if (entry.key().isEmpty()) {
      return new Found(
          fingerprint(text).map(f -> new Registered(f, f.value(), ends, details)), slot);
    }
    Access access = meant(Access.class, kind, "access", element, entry.access(), Access.WRITE);
    return new Found(
        key(text)
            .map(
                key ->
                    new Registered(
                        key.fingerprint(),
                        EntryLine.of(key, title, details.purpose(), access),
                        ends,
                        details)),
        slot);
  }

  /**
   * What a place of an answer means; the usual where the sheet names no place, or it is unknown.
   */
  private static <E extends Enum<E>> E meant(
      Class<E> words, AccountKind kind, String subject, JsonNode element, String place, E usual) {
    return place.isEmpty()
        ? usual
        : Words.read(words, kind.meant(subject, at(element, place))).orElse(usual);
  }

  private static String at(JsonNode element, String place) {
    return place.isEmpty() ? "" : Answer.at(element, place);
  }

  /** A key in whichever notation the system shows it. */
  static Optional<PublicKey> key(String text) {
    for (Item item : Intake.read(text.getBytes(StandardCharsets.UTF_8))) {
      if (item.outcome() instanceof Outcome.Key found) {
        return Optional.of(found.key());
      }
    }
    return Optional.empty();
  }

  /** A fingerprint: SHA-256 in base64 as OpenSSH writes it, or in hexadecimal. */
  static Optional<Fingerprint> fingerprint(String text) {
    String plain = text.strip();
    if (plain.matches("(?i)[0-9a-f]{64}")) {
      byte[] bytes = HexFormat.of().parseHex(plain.toLowerCase(java.util.Locale.ROOT));
      return Optional.of(
          new Fingerprint(
              "SHA256:" + java.util.Base64.getEncoder().withoutPadding().encodeToString(bytes)));
    }
    return FingerprintText.read(plain).isPresent() && plain.startsWith("SHA256:")
        ? Optional.of(new Fingerprint(plain.replaceAll("=+$", "")))
        : Optional.empty();
  }

  /** A key's SHA-256 fingerprint in hexadecimal. */
  static String hexadecimal(PublicKey key) {
    return HexFormat.of().formatHex(Fingerprint.sha256(key.blob()));
  }

  /** A moment in ISO 8601, or in seconds since 1970. */
  static Optional<Instant> time(String text, Duration ahead) {
    try {
      if (text.isEmpty()) {
        return Optional.empty();
      }
      Instant moment =
          text.matches("\\d{1,12}")
              ? Instant.ofEpochSecond(Long.parseLong(text))
              : OffsetDateTime.parse(text).toInstant();
      return Optional.of(moment.minus(ahead));
    } catch (DateTimeException notADate) {
      return Optional.empty();
    }
  }
}
