package tolvin.cli;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import com.fasterxml.jackson.databind.node.ObjectNode;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.KeyPair;
import java.security.KeyPairGenerator;
import java.security.Signature;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Base64;
import java.util.Collections;
import java.util.HexFormat;
import java.util.List;
import java.util.Optional;
import java.util.Random;
import java.util.UUID;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import tolvin.core.journal.Audit;
import tolvin.core.journal.Chain;

/**
 * An exported journal that somebody tampered with: whatever they did, the first thing wrong is
 * named, and by a program in another language in the same words.
 */
class JournalFileTest {
  private static final int ENTRIES = 40;
  private static final int BATCH = 7;
  private static final Path VERIFIER =
      Path.of(System.getProperty("tolvin.root", ".."), "docs", "verify-journal.py");

  @TempDir static Path directory;
  private static List<String> lines;
  private static List<byte[]> links;
  private static String key;

  @BeforeAll
  static void journal() throws Exception {
    Random random = new Random(7);
    KeyPair pair = KeyPairGenerator.getInstance("Ed25519").generateKeyPair();
    key = Base64.getEncoder().encodeToString(pair.getPublic().getEncoded());
    lines = new ArrayList<>();
    links = new ArrayList<>(List.of(Chain.START));
    ObjectNode head = Service.JSON.createObjectNode();
    head.put("journal", 1).put("key", key).put("from", 0).put("link", Chain.shown(Chain.START));
    lines.add(head.toString());
    List<String> persons = new ArrayList<>();
    for (String name : List.of("isla", "Tormod Haig \u00f8 \ud83d\udea2", "Tolvin")) {
      byte[] salt = new byte[16];
      random.nextBytes(salt);
      persons.add(Audit.reference(salt, name));
      ObjectNode person = Service.JSON.createObjectNode();
      person.put("person", persons.get(persons.size() - 1));
      person.put("salt", HexFormat.of().formatHex(salt)).put("name", name);
      lines.add(person.toString());
    }
    for (int i = 1; i <= ENTRIES; i++) {
      Chain.Entry entry =
          new Chain.Entry(
              i,
              new UUID(random.nextLong(), random.nextLong()),
              Instant.ofEpochSecond(1_800_000_000L + i * 3600L, (i % 4) * 1_000L),
              persons.get(i % 3),
              "key.added",
              i % 5 == 0 ? "null" : new UUID(random.nextLong(), i).toString(),
              "Key “k" + i + "” added \u2713",
              "{\"number\":" + i + "}");
      byte[] link = Chain.link(links.get(i - 1), entry);
      links.add(link);
      ObjectNode line = Service.JSON.createObjectNode();
      line.put("number", i).put("id", entry.id().toString()).put("at", entry.at().toString());
      line.put("actor", entry.actor()).put("action", entry.action());
      line.put("subject", entry.subject()).put("text", entry.text()).put("data", entry.data());
      line.put("link", Chain.shown(link));
      if (i % BATCH == 0 || i == ENTRIES) {
        Signature signature = Signature.getInstance("Ed25519");
        signature.initSign(pair.getPrivate());
        signature.update(link);
        line.put("signature", Base64.getEncoder().encodeToString(signature.sign()));
      }
      lines.add(line.toString());
    }
    ObjectNode end = Service.JSON.createObjectNode();
    lines.add(end.put("end", ENTRIES).put("link", Chain.shown(links.get(ENTRIES))).toString());
  }

  @Test
  void oneThatNobodyTouchedHolds() throws Exception {
    agreed(lines, Optional.empty(), null);
    agreed(lines, Optional.of(20), null);
  }

  /** Each change that somebody could make to a file, at random places. */
  @ParameterizedTest
  @ValueSource(
      strings = {"edit", "drop", "double", "swap", "cut", "rename", "sign", "relink", "key", "end"})
  void theFirstThingWrongIsNamedByBoth(String tampering) throws Exception {
    Random random = new Random(tampering.hashCode());
    for (int round = 0; round < 4; round++) {
      int at = 5 + random.nextInt(ENTRIES - 8); // an entry's line; its number is at - 3
      List<String> changed = new ArrayList<>(lines);
      int number = at - 3;
      String expected =
          switch (tampering) {
            case "edit" -> {
              changed.set(at, changed.get(at).replace(" added", " gone"));
              yield "Entry " + number + " is not what was sealed.";
            }
            case "drop" -> {
              changed.remove(at);
              yield "Entry " + number + " is missing.";
            }
            case "double" -> {
              changed.add(at, changed.get(at));
              yield "Entry " + number + " is there a second time.";
            }
            case "swap" -> {
              Collections.swap(changed, at, at + 1);
              yield "Entry " + number + " is missing.";
            }
            case "cut" -> {
              changed = changed.subList(0, at + 1);
              yield "The journal is cut off behind entry " + number + ".";
            }
            case "rename" -> {
              changed.set(1, changed.get(1).replace("isla", "somebody else"));
              yield "Entry 3 is put down to another name than the one sealed.";
            }
            case "sign" -> {
              int last = 3 + BATCH;
              changed.set(last, withSignatureOf(changed.get(last), changed.get(last + BATCH)));
              yield "The signature at entry " + BATCH + " is not the journal's key's.";
            }
            case "relink" -> {
              changed = relinked(changed, at);
              yield "The signature at entry "
                  + Math.min((number + BATCH - 1) / BATCH * BATCH, ENTRIES)
                  + " is not the journal's key's.";
            }
            case "key" -> {
              KeyPair other = KeyPairGenerator.getInstance("Ed25519").generateKeyPair();
              String theirs = Base64.getEncoder().encodeToString(other.getPublic().getEncoded());
              changed.set(0, changed.get(0).replace(key, theirs));
              yield "The signature at entry " + BATCH + " is not the journal's key's.";
            }
            default -> {
              changed.remove(changed.size() - 1);
              yield "The journal is cut off behind entry " + ENTRIES + ".";
            }
          };
      agreed(changed, Optional.empty(), expected);
    }
  }

  /**
   * Somebody who has the whole file and a key of their own can make all of it fit, but not this.
   */
  @Test
  void aCheckPointFromElsewhereIsHeldAgainstIt() throws Exception {
    List<String> rewritten = new ArrayList<>(lines);
    rewritten.set(3 + 30, rewritten.get(3 + 30).replace(" added", " gone"));
    rewritten = relinked(rewritten, 3 + 30);
    agreed(rewritten, Optional.of(35), "The signature at entry 35 is not the journal's key's.");
    List<String> shortened = new ArrayList<>(lines.subList(0, 4 + 2 * BATCH));
    ObjectNode end = Service.JSON.createObjectNode();
    shortened.add(end.put("end", 2 * BATCH).put("link", Chain.shown(links.get(14))).toString());
    agreed(shortened, Optional.empty(), null);
    agreed(shortened, Optional.of(20), "The journal is cut off behind entry 14.");
    List<String> later = new ArrayList<>(lines.subList(0, 4));
    later.set(
        0,
        lines
            .get(0)
            .replace("\"from\":0", "\"from\":20")
            .replace(Chain.shown(Chain.START), Chain.shown(links.get(20))));
    later.addAll(lines.subList(4 + 20, lines.size()));
    agreed(later, Optional.of(20), null);
    agreed(later, Optional.of(10), "Entry 11 is missing.");
    later.set(0, later.get(0).replace(Chain.shown(links.get(20)), Chain.shown(Chain.START)));
    agreed(later, Optional.of(20), "Entry 20 is not what was sealed.");
  }

  @Test
  void whatIsNoExportIsRefused() throws IOException {
    for (String content : List.of("", "{}", "{\"journal\":1}", "not json\n", lines.get(5))) {
      Path file = Files.writeString(directory.resolve("none"), content);
      assertThatThrownBy(() -> JournalFile.check(file, Optional.empty(), Optional.empty()))
          .as(content)
          .isInstanceOf(Refused.class);
    }
    assertThatThrownBy(() -> JournalFile.checkPoint("12"))
        .isInstanceOf(Refused.class)
        .hasMessageContaining("NUMBER:LINK");
  }

  /** Checks a file in both ways; both say the same. */
  private static void agreed(List<String> content, Optional<Integer> known, String expected)
      throws Exception {
    Path file = Files.write(directory.resolve("journal"), content, StandardCharsets.UTF_8);
    Optional<Audit.CheckPoint> from =
        known.map(number -> new Audit.CheckPoint(number, links.get(number)));
    Optional<String> given = known.map(k -> key);
    JournalFile.Verdict verdict = JournalFile.check(file, from, given);
    String ours = verdict.finding().map(Audit.Finding::sentence).orElse(null);
    assertThat(ours).isEqualTo(expected);
    List<String> command = new ArrayList<>(List.of("python3", VERIFIER.toString(), file + ""));
    from.ifPresent(
        f -> command.addAll(List.of("--from", f.number() + ":" + Chain.shown(f.link()))));
    given.ifPresent(k -> command.addAll(List.of("--key", k)));
    Process python = new ProcessBuilder(command).redirectErrorStream(true).start();
    String theirs = new String(python.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
    assertThat(python.waitFor(60, TimeUnit.SECONDS)).isTrue();
    Audit.CheckPoint reached = verdict.reached();
    assertThat(theirs.strip())
        .isEqualTo(ours == null ? reached.number() + ":" + Chain.shown(reached.link()) : ours);
    assertThat(python.exitValue()).isEqualTo(ours == null ? 0 : 1);
  }

  private static String withSignatureOf(String line, String other) throws IOException {
    ObjectNode node = (ObjectNode) Service.JSON.readTree(line);
    node.set("signature", Service.JSON.readTree(other).get("signature"));
    return node.toString();
  }

  /** Edits an entry and makes every link from there on fit, as somebody with the database could. */
  private static List<String> relinked(List<String> content, int from) throws IOException {
    List<String> changed = new ArrayList<>(content);
    byte[] before = links.get(from - 4);
    for (int i = from; i < content.size() - 1; i++) {
      ObjectNode node = (ObjectNode) Service.JSON.readTree(content.get(i));
      if (i == from) {
        node.put("text", "nothing happened");
      }
      before =
          Chain.link(
              before,
              new Chain.Entry(
                  node.path("number").asLong(),
                  UUID.fromString(node.path("id").asText()),
                  Instant.parse(node.path("at").asText()),
                  node.path("actor").asText(),
                  node.path("action").asText(),
                  node.path("subject").asText(),
                  node.path("text").asText(),
                  node.path("data").asText()));
      node.put("link", Chain.shown(before));
      changed.set(i, node.toString());
    }
    return changed;
  }
}
