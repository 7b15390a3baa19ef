package tolvin.core.authorized;

import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Base64;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.stream.Stream;
import tolvin.core.authorized.Admission.Kind;
import tolvin.core.form.ExchangeFile;
import tolvin.core.key.KeyType;
import tolvin.core.key.PublicBlob;
import tolvin.core.key.PublicKey;
import tolvin.core.key.RefusedException;
import tolvin.core.key.Wire;

/**
 * Blocks of RFC 4716 one after the other in one file, as ProFTPD's server takes them apart (1.3.8;
 * contrib/mod_sftp/rfc4716.c). It reads pieces of at most 74 bytes: what stands behind them on a
 * line is a line of its own to it. A header goes on behind a backslash; a line without a colon does
 * not. What begins a block within a block is a part of its body, so that a block which is never
 * ended spoils the next one.
 */
final class KeyBlocks {
  private static final int PIECE = 74;
  private static final int LONGEST_TAG = 64;
  private static final int LONGEST_VALUE = 1024;

  private static final String NO_KEY = "no key can be read in it";

  private final byte[] file;
  private final List<Piece> found = new ArrayList<>();
  private int at;

  /**
   * A block, or a line between blocks.
   *
   * @param from where it begins
   * @param end where the next one does
   */
  record Piece(int from, int end, Admission admission) {}

  /** A line as the server puts it together; empty text if it drops the line. */
  private record Logical(int from, Optional<String> text) {}

  private KeyBlocks(byte[] file) {
    this.file = file;
  }

  /** Takes a file apart; the pieces are the whole file. */
  static List<Piece> of(byte[] file) {
    KeyBlocks blocks = new KeyBlocks(file);
    blocks.read();
    return blocks.found;
  }

  private void read() {
    int begun = -1;
    List<String> inside = new ArrayList<>();
    while (at < file.length) {
      Logical line = logical();
      String text = line.text().orElse("");
      if (begun >= 0) {
        if (text.equals(ExchangeFile.END)) {
          found.add(new Piece(begun, at, ofBlock(inside)));
          begun = -1;
        } else if (line.text().isPresent()) {
          inside.add(text);
        }
      } else if (text.equals(ExchangeFile.BEGIN)) {
        begun = line.from();
        inside.clear();
      } else {
        found.add(new Piece(line.from(), at, between(text)));
      }
    }
    if (begun >= 0) {
      found.add(
          new Piece(
              begun,
              at,
              Admission.without(Kind.IGNORED, "the block that begins there never ends")));
    }
  }

  private static Admission between(String text) {
    return text.isBlank()
        ? Admission.without(Kind.NOTHING, "")
        : Admission.without(
            Kind.IGNORED, "it stands outside of a block, and the server takes keys as blocks only");
  }

  private Logical logical() {
    int from = at;
    StringBuilder line = new StringBuilder();
    while (true) {
      String piece = piece();
      boolean isEnded = piece.endsWith("\n") || piece.endsWith("\r");
      line.append(piece, 0, piece.length() - (isEnded ? 1 : 0));
      boolean goesOn = isEnded && line.length() > 0 && line.charAt(line.length() - 1) == '\\';
      if (goesOn) {
        line.setLength(line.length() - 1);
      }
      int colon = line.indexOf(":");
      if (!isEnded || colon < 0) {
        return new Logical(from, Optional.of(line.toString()));
      }
      int value = line.length() - colon - 2;
      if (colon > LONGEST_TAG || value < 0 || value > LONGEST_VALUE) {
        return new Logical(from, Optional.empty());
      }
      if (!goesOn || at == file.length) {
        return new Logical(from, Optional.of(line.toString()));
      }
    }
  }

  private String piece() {
    int end = at;
    while (end < file.length && end - at < PIECE && file[end] != '\n') {
      end++;
    }
    if (end < file.length && end - at < PIECE) {
      end++; // the line feed itself
    }
    String piece = new String(file, at, end - at, StandardCharsets.ISO_8859_1);
    at = end;
    return piece;
  }

  private static Admission ofBlock(List<String> lines) {
    StringBuilder body = new StringBuilder();
    String comment = "";
    boolean isStrange = false;
    for (String line : lines) {
      isStrange |= line.indexOf('\0') >= 0;
      if (!line.contains(": ")) {
        body.append(line);
        continue;
      }
      String tag = line.substring(0, line.indexOf(": "));
      isStrange |= tag.toLowerCase(Locale.ROOT).equals("subject");
      if (tag.equalsIgnoreCase("comment")) {
        comment = ExchangeFile.unquoted(line.substring(line.indexOf(": ") + 2).strip());
      }
    }
    Optional<PublicKey> exact = key(body.toString());
    if (exact.isEmpty()) {
      Optional<PublicKey> perhaps = perhaps(body.toString());
      return perhaps.isPresent()
          ? new Admission(
              Kind.DOUBTFUL,
              "something else than a key stands in its body",
              perhaps,
              "",
              comment,
              Optional.empty())
          : Admission.without(Kind.IGNORED, NO_KEY);
    }
    if (exact.get().type().hardware()) {
      return new Admission(
          Kind.IGNORED,
          "ProFTPD knows no keys of the type " + exact.get().type().word(),
          exact,
          "",
          comment,
          Optional.empty());
    }
    return new Admission(
        isStrange ? Kind.DOUBTFUL : Kind.LETS_IN,
        isStrange ? "some servers take a key with a Subject header for that login only" : "",
        exact,
        "",
        comment,
        Optional.empty());
  }

  private static Optional<PublicKey> key(String body) {
    try {
      byte[] blob = Base64.getDecoder().decode(body);
      PublicKey key = PublicBlob.read(blob);
      return Base64.getEncoder().encodeToString(key.blob()).equals(body)
          ? Optional.of(key)
          : Optional.empty();
    } catch (IllegalArgumentException | RefusedException noKey) {
      return Optional.empty();
    }
  }

  /**
   * A key that the server's library may still find in a body: it ends at a hyphen, takes an equals
   * sign for a zero, and ignores blanks; what is left behind the key's numbers is not looked at.
   */
  private static Optional<PublicKey> perhaps(String body) {
    String digits = body.replaceFirst("(?s)-.*", "").replaceAll("[^A-Za-z0-9+/=]", "");
    return Stream.of(digits.replace('=', 'A'), digits.replace("=", ""))
        .flatMap(text -> first(text.substring(0, text.length() - text.length() % 4)).stream())
        .findFirst();
  }

  private static Optional<PublicKey> first(String digits) {
    try {
      byte[] all = Base64.getDecoder().decode(digits);
      Wire wire = new Wire(all);
      String word = new String(wire.string("type word"), StandardCharsets.US_ASCII);
      int fields = KeyType.ofWord(word).filter(type -> type == KeyType.ED25519).isPresent() ? 1 : 2;
      for (int field = 0; field < fields; field++) {
        wire.string("number");
      }
      return Optional.of(PublicBlob.read(Arrays.copyOf(all, wire.at())));
    } catch (IllegalArgumentException | RefusedException noKey) {
      return Optional.empty();
    }
  }
}
