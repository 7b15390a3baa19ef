package tolvin.core.authorized;

import java.io.ByteArrayOutputStream;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import tolvin.core.form.ExchangeFile;
import tolvin.core.key.Fingerprint;
import tolvin.core.key.PlainText;
import tolvin.core.key.PublicKey;
import tolvin.core.server.KeysFormat;
import tolvin.core.server.ServerAbility;
import tolvin.core.server.ServerKind;

/**
 * The content of a server's file of keys, kept as the exact bytes that it was read as: {@code
 * authorized_keys} with a line for each key (sshd(8), AUTHORIZED_KEYS FILE FORMAT), or blocks of
 * RFC 4716. Edits add an entry at the end or take one out; everything else, each comment, option,
 * blank and line ending, stays as it is, byte for byte. The one byte that may be added besides is
 * the line end which a last line lacks.
 */
public final class AuthorizedKeys {
  private final List<Line> lines;
  private final ServerAbility server;

  private AuthorizedKeys(List<Line> lines, ServerAbility server) {
    this.lines = List.copyOf(lines);
    this.server = server;
  }

  /**
   * One entry: a line, or a whole block.
   *
   * @param content its bytes without the last line end
   * @param ending its line end: empty, LF, CR or CRLF
   * @param text what it is called by, one character per byte, so that it can be compared and kept
   *     exactly: a line as it stands, of a block the line that says the same
   * @param admission what the server does with it
   */
  public record Line(byte[] content, byte[] ending, String text, Admission admission) {
    private static Line of(byte[] content, byte[] ending, ServerAbility server) {
      String text = new String(content, StandardCharsets.ISO_8859_1);
      return new Line(content, ending, text, Admission.of(text, server));
    }

    private static Line block(byte[] content, byte[] ending, Admission admission) {
      String text =
          admission
              .key()
              .map(key -> bytes(key.line(decoded(admission.comment()))))
              .orElse(new String(content, StandardCharsets.ISO_8859_1));
      return new Line(content, ending, text, admission);
    }

    private static String bytes(String text) {
      return new String(text.getBytes(StandardCharsets.UTF_8), StandardCharsets.ISO_8859_1);
    }

    /** The key on it, if it is a line that the server can read a key from. */
    public Optional<PublicKey> key() {
      return admission.key();
    }

    /** The options before the key; empty if there are none. */
    public String options() {
      return decoded(admission.options());
    }

    /** The comment behind the key, as it can be shown. */
    public String comment() {
      return PlainText.shown(decoded(admission.comment()).strip());
    }

    private static String decoded(String bytes) {
      return new String(bytes.getBytes(StandardCharsets.ISO_8859_1), StandardCharsets.UTF_8);
    }
  }

  /** Takes the bytes of a file apart that OpenSSH's server reads. */
  public static AuthorizedKeys of(byte[] file) {
    return of(file, ServerAbility.OPENSSH);
  }

  /**
   * Takes a file's bytes apart. Total: any bytes are a file, if not a useful one.
   *
   * @param server whose file it is
   */
  public static AuthorizedKeys of(byte[] file, ServerAbility server) {
    List<Line> lines = new ArrayList<>();
    if (server.format() == KeysFormat.BLOCKS) {
      for (KeyBlocks.Piece piece : KeyBlocks.of(file)) {
        int contentEnd = contentEnd(file, piece.from(), piece.end(), server.kind());
        lines.add(
            Line.block(
                Arrays.copyOfRange(file, piece.from(), contentEnd),
                Arrays.copyOfRange(file, contentEnd, piece.end()),
                piece.admission()));
      }
      return new AuthorizedKeys(lines, server);
    }
    int from = 0;
    while (from < file.length) {
      int end = lineEnd(file, from, server.kind());
      int contentEnd = contentEnd(file, from, end, server.kind());
      lines.add(
          Line.of(
              Arrays.copyOfRange(file, from, contentEnd),
              Arrays.copyOfRange(file, contentEnd, end),
              server));
      from = end;
    }
    return new AuthorizedKeys(lines, server);
  }

  /** A file of one entry alone. */
  public static AuthorizedKeys alone(String line, ServerAbility server) {
    return of(new byte[0], server).with(line);
  }

  /**
   * Where the next line begins. Dropbear ends one at a carriage return, too, and cuts long ones.
   */
  private static int lineEnd(byte[] file, int from, ServerKind server) {
    boolean isDropbear = server == ServerKind.DROPBEAR;
    int most = isDropbear ? Math.min(file.length, from + DropbearLine.LONGEST) : file.length;
    int end = from;
    while (end < most && file[end] != '\n' && !(isDropbear && file[end] == '\r')) {
      end++;
    }
    if (end == most) {
      return end;
    }
    boolean isBoth = file[end] == '\r' && end + 1 < file.length && file[end + 1] == '\n';
    return end + (isBoth ? 2 : 1);
  }

  /** Where the content of an entry ends; a lone carriage return ends only lines of Dropbear's. */
  private static int contentEnd(byte[] file, int from, int end, ServerKind server) {
    boolean isFed = end > from && file[end - 1] == '\n';
    int content = isFed ? end - 1 : end;
    boolean isReturned = content > from && file[content - 1] == '\r';
    return isReturned && (isFed || server == ServerKind.DROPBEAR) ? content - 1 : content;
  }

  /** The entries in order. */
  public List<Line> lines() {
    return lines;
  }

  /** The entries that carry this key. */
  public List<Line> linesOf(Fingerprint key) {
    return lines.stream()
        .filter(line -> line.key().filter(k -> k.fingerprint().equals(key)).isPresent())
        .toList();
  }

  /**
   * The file with one more entry at its end, in the line ending that the file uses.
   *
   * @param line a line as it would stand in {@code authorized_keys}; a server that takes blocks
   *     gets one with its key and its comment
   */
  public AuthorizedKeys with(String line) {
    byte[] ending = ending();
    ByteArrayOutputStream out = new ByteArrayOutputStream();
    out.writeBytes(toBytes());
    if (!lines.isEmpty() && lines.get(lines.size() - 1).ending().length == 0) {
      out.writeBytes(ending);
    }
    if (server.format() == KeysFormat.BLOCKS) {
      out.writeBytes(block(line));
    } else {
      out.writeBytes(line.getBytes(StandardCharsets.ISO_8859_1));
      out.writeBytes(ending);
    }
    return of(out.toByteArray(), server); // read anew: what stands before it may change it
  }

  private static byte[] block(String line) {
    Admission plain = Admission.of(line);
    PublicKey key =
        plain.key().orElseThrow(() -> new IllegalArgumentException("the line holds no key"));
    return ExchangeFile.write(key, Line.decoded(plain.comment())).getBytes(StandardCharsets.UTF_8);
  }

  /** The file without the entries that are called exactly so. */
  public AuthorizedKeys without(String line) {
    return new AuthorizedKeys(
        lines.stream().filter(candidate -> !candidate.text().equals(line)).toList(), server);
  }

  /** The file with the first only of the entries that are called exactly so. */
  public AuthorizedKeys once(String line) {
    List<Line> result = new ArrayList<>();
    boolean seen = false;
    for (Line candidate : lines) {
      boolean same = candidate.text().equals(line);
      if (!same || !seen) {
        result.add(candidate);
      }
      seen |= same;
    }
    return new AuthorizedKeys(result, server);
  }

  /** The first entry that is called exactly so and that the server reads a key from. */
  public Optional<Line> find(String line) {
    return lines.stream()
        .filter(candidate -> candidate.text().equals(line) && candidate.key().isPresent())
        .findFirst();
  }

  /**
   * Why the server ignores an entry for certain, which stands in the file.
   *
   * @return empty if it does not, or nobody can be sure
   */
  public Optional<String> whyNot(String line) {
    Optional<Line> there = find(line);
    if (there.isPresent()) {
      Admission admission = there.get().admission();
      return Optional.of(admission.why()).filter(why -> admission.kind() == Admission.Kind.IGNORED);
    }
    if (server.format() == KeysFormat.BLOCKS && !Admission.of(line).options().isEmpty()) {
      return Optional.of("a block has no place for options");
    }
    return lines.stream()
        .filter(entry -> entry.admission().kind() == Admission.Kind.IGNORED)
        .reduce((first, last) -> last)
        .map(last -> last.admission().why())
        .or(() -> Optional.of("it could not be read from the file any more"));
  }

  /** Whether there is one. */
  public boolean has(String line) {
    return find(line).isPresent();
  }

  /** The whole file. */
  public byte[] toBytes() {
    ByteArrayOutputStream out = new ByteArrayOutputStream();
    for (Line line : lines) {
      out.writeBytes(line.content());
      out.writeBytes(line.ending());
    }
    return out.toByteArray();
  }

  private byte[] ending() {
    for (Line line : lines) {
      if (line.ending().length > 0) {
        return line.ending();
      }
    }
    return new byte[] {'\n'};
  }
}
