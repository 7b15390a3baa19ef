package tolvin.bench.rig;

import com.fasterxml.jackson.databind.ObjectMapper;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.StandardOpenOption;
import java.nio.file.attribute.PosixFilePermissions;
import java.util.ArrayList;
import java.util.Base64;
import java.util.List;
import java.util.Random;
import tolvin.standins.local.Unprivileged;

/**
 * What somebody else writes into an account's file: lines that are none of Tolvin's business and
 * have to stay as they are. What they should be is noted beside, for the reader.
 */
final class Foreign {
  private static final ObjectMapper JSON = new ObjectMapper();

  private Foreign() {}

  static Path file(RigEstate estate, RigEstate.Pair pair) {
    return estate.directory.resolve("foreign-" + pair.login() + ".json");
  }

  /** A line that was always there. */
  static void begin(RigEstate estate, RigEstate.Pair pair) throws IOException {
    String line = line(new Random(pair.number()), "colleague");
    Files.writeString(pair.keys(), "# kept by hand\n" + line + "\n", StandardOpenOption.APPEND);
    Unprivileged.own(pair.server().home(pair.login()));
    note(estate, pair, List.of(line));
  }

  private static String line(Random random, String comment) {
    byte[] point = new byte[32];
    random.nextBytes(point);
    byte[] blob = new byte[51];
    byte[] head = {0, 0, 0, 11, 's', 's', 'h', '-', 'e', 'd', '2', '5', '5', '1', '9', 0, 0, 0, 32};
    System.arraycopy(head, 0, blob, 0, head.length);
    System.arraycopy(point, 0, blob, head.length, point.length);
    return "ssh-ed25519 " + Base64.getEncoder().encodeToString(blob) + " " + comment;
  }

  private static List<String> noted(RigEstate estate, RigEstate.Pair pair) throws IOException {
    List<String> lines = new ArrayList<>();
    JSON.readTree(file(estate, pair).toFile()).forEach(line -> lines.add(line.asText()));
    return lines;
  }

  private static void note(RigEstate estate, RigEstate.Pair pair, List<String> lines)
      throws IOException {
    JSON.writeValue(file(estate, pair).toFile(), lines);
  }

  /** The kinds of edits that people make by hand. */
  enum Edit {
    KEY_APPENDED,
    KEY_REMOVED,
    COMMENT_ADDED,
    BLANK_LINES,
    ORDER_CHANGED,
    MODE_CHANGED,
    SPARE_KEY_REMOVED
  }

  /**
   * Makes an edit as an editor does: reads, changes, writes beside, looks that nobody wrote
   * meanwhile, renames. Between that look and the rename another one's edit would be lost, as with
   * any editor.
   *
   * @return whether it was made
   */
  static boolean edit(RigEstate estate, RigEstate.Pair pair, Edit edit, Random random)
      throws IOException {
    Path keys = pair.keys();
    if (edit == Edit.MODE_CHANGED) {
      Files.setPosixFilePermissions(
          keys, PosixFilePermissions.fromString(random.nextBoolean() ? "rw-r--r--" : "rw-------"));
      return true;
    }
    byte[] before = Files.readAllBytes(keys);
    List<String> lines =
        new ArrayList<>(new String(before, StandardCharsets.ISO_8859_1).lines().toList());
    List<String> foreign = noted(estate, pair);
    switch (edit) {
      case KEY_APPENDED -> {
        String line = line(random, "colleague " + random.nextInt(1000));
        lines.add(line);
        foreign.add(line);
      }
      case KEY_REMOVED -> {
        if (foreign.isEmpty()) {
          return false;
        }
        String line = foreign.remove(random.nextInt(foreign.size()));
        lines.remove(line);
      }
      case COMMENT_ADDED -> lines.add("# looked at by hand " + random.nextInt(1000));
      case BLANK_LINES -> lines.add("");
      case ORDER_CHANGED -> java.util.Collections.rotate(lines, 1);
      default -> {
        if (!removeSpare(pair, lines)) {
          return false;
        }
      }
    }
    Path beside = keys.resolveSibling("authorized_keys~");
    Files.writeString(beside, String.join("\n", lines) + "\n", StandardCharsets.ISO_8859_1);
    Files.setPosixFilePermissions(beside, Files.getPosixFilePermissions(keys));
    Unprivileged.own(keys.getParent());
    if (!java.util.Arrays.equals(before, Files.readAllBytes(keys))) {
      Files.delete(beside);
      return false;
    }
    Files.move(beside, keys, StandardCopyOption.ATOMIC_MOVE, StandardCopyOption.REPLACE_EXISTING);
    note(estate, pair, foreign);
    return true;
  }

  /** Takes out the entry of a client's former key, which nobody needs any more, if there is one. */
  private static boolean removeSpare(RigEstate.Pair pair, List<String> lines) throws IOException {
    Path former = Path.of(pair.seat() + ".before");
    if (!Files.exists(former)) {
      return false;
    }
    String offered = publicKey(pair.seat());
    String spare = publicKey(former);
    boolean works = lines.stream().anyMatch(l -> l.contains(offered));
    return works
        && !spare.equals(offered)
        && lines.removeIf(l -> l.contains("tolvin:") && l.contains(spare));
  }

  private static String publicKey(Path privateFile) throws IOException {
    String text = Files.readString(privateFile, StandardCharsets.ISO_8859_1).split("-----")[2];
    byte[] blob = Base64.getMimeDecoder().decode(text);
    int at = 15;
    for (int i = 0; i < 3; i++) {
      at += 4 + number(blob, at);
    }
    at += 4;
    byte[] key = new byte[number(blob, at)];
    System.arraycopy(blob, at + 4, key, 0, key.length);
    return Base64.getEncoder().encodeToString(key);
  }

  private static int number(byte[] blob, int at) {
    return java.nio.ByteBuffer.wrap(blob, at, 4).getInt();
  }
}
