package tolvin.cli;

import com.fasterxml.jackson.databind.JsonNode;
import java.io.BufferedReader;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.GeneralSecurityException;
import java.time.DateTimeException;
import java.time.Instant;
import java.util.Base64;
import java.util.HexFormat;
import java.util.Optional;
import java.util.UUID;
import tolvin.core.journal.Audit;
import tolvin.core.journal.Audit.CheckPoint;
import tolvin.core.journal.Chain;
import tolvin.core.journal.Seals;

/** An exported journal, read line by line; docs/journal.md describes it. */
final class JournalFile {
  private JournalFile() {}

  /**
   * What checking it found.
   *
   * @param finding the first thing wrong; empty if nothing is
   * @param reached the last entry
   * @param key the key that signatures were checked with, in base64
   */
  record Verdict(Optional<Audit.Finding> finding, CheckPoint reached, String key) {}

  /**
   * Checks a file.
   *
   * @param from what is known of the journal before it; empty to believe what the file says
   * @param key the key to check with, in base64; empty to believe the one in the file
   * @throws Refused if it is no exported journal
   */
  static Verdict check(Path file, Optional<CheckPoint> from, Optional<String> key) throws Refused {
    int number = 0;
    try (BufferedReader lines = Files.newBufferedReader(file)) {
      number++;
      JsonNode head = Service.JSON.readTree(String.valueOf(lines.readLine()));
      if (head.path("journal").asInt() != 1) {
        throw new Refused(file + " is no exported journal of version 1.");
      }
      CheckPoint before =
          new CheckPoint(head.path("from").asLong(), hex(head.path("link").asText()));
      String checkedWith = key.orElse(head.path("key").asText());
      Audit audit = new Audit(Seals.key(Base64.getDecoder().decode(checkedWith)), before);
      from.ifPresent(audit::compare);
      long atLeast = from.map(CheckPoint::number).orElse(0L);
      boolean ended = false;
      for (String line = lines.readLine(); line != null; line = lines.readLine()) {
        number++;
        JsonNode one = Service.JSON.readTree(line);
        if (one.has("person")) {
          audit.person(
              one.path("person").asText(),
              hex(one.path("salt").asText()),
              Optional.of(one.path("name")).filter(n -> !n.isNull()).map(JsonNode::asText));
        } else if (one.has("end")) {
          atLeast = Math.max(atLeast, one.path("end").asLong());
          ended = true;
        } else {
          audit.entry(
              entry(one),
              hex(one.path("link").asText()),
              Optional.ofNullable(one.get("signature"))
                  .map(s -> Base64.getDecoder().decode(s.asText())));
          from.ifPresent(audit::compare);
        }
      }
      Optional<Audit.Finding> found = ended ? audit.end(atLeast) : audit.end(Long.MAX_VALUE);
      return new Verdict(found, audit.reached(), checkedWith);
    } catch (IOException e) {
      throw new Refused(file + ", line " + number + ", cannot be read: " + e.getMessage());
    } catch (IllegalArgumentException | DateTimeException | GeneralSecurityException e) {
      throw new Refused(file + ", line " + number + ", is not what an export has there.");
    }
  }

  private static Chain.Entry entry(JsonNode one) {
    return new Chain.Entry(
        one.path("number").asLong(),
        UUID.fromString(one.path("id").asText()),
        Instant.parse(one.path("at").asText()),
        one.path("actor").asText(),
        one.path("action").asText(),
        one.path("subject").asText(),
        one.path("text").asText(),
        one.path("data").asText());
  }

  /** A check-point as the end of an earlier export has it, or {@code NUMBER:LINK}. */
  static CheckPoint checkPoint(String text) throws Refused {
    try {
      String[] parts = text.split(":", 2);
      return new CheckPoint(Long.parseLong(parts[0].strip()), hex(parts[1].strip()));
    } catch (IllegalArgumentException | ArrayIndexOutOfBoundsException e) {
      throw new Refused("“" + text + "” is no check-point. Give NUMBER:LINK, as verify prints it.");
    }
  }

  private static byte[] hex(String text) {
    return HexFormat.of().parseHex(text);
  }
}
