package tolvin.core.intake;

import java.io.ByteArrayInputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.PushbackInputStream;
import java.util.AbstractList;
import java.util.ArrayList;
import java.util.EnumSet;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.Set;
import java.util.function.Consumer;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import tolvin.core.authorized.KeyOptions;
import tolvin.core.form.DerKeys;
import tolvin.core.form.ExchangeFile;
import tolvin.core.form.Form;
import tolvin.core.form.Jwk;
import tolvin.core.give.RevocationReading;
import tolvin.core.intake.Lines.Line;
import tolvin.core.key.OneLine;
import tolvin.core.key.OtherTypes;
import tolvin.core.key.PrivateKeyText;
import tolvin.core.key.Reading;
import tolvin.core.key.Refusal;
import tolvin.core.key.Refusal.Reason;
import tolvin.core.key.RefusedException;

/**
 * Takes a text or a file apart into its keys, each judged by itself. Any bytes give items; nothing
 * is thrown but what the stream itself throws, and memory is bounded by one line or one block.
 *
 * <pre>{@code
 * for (Item item : Intake.read(bytes)) {
 *   if (item.outcome() instanceof Outcome.Key key) { … key.key().fingerprint() … }
 * }
 * }</pre>
 */
public final class Intake {
  /** The largest armoured block that is looked at, in characters. */
  private static final int MAX_BLOCK = 256 * 1024;

  private static final int MAX_JSON = Lines.MAX_LINE;
  private static final int MAX_JOINED_LINES = 64;
  private static final Pattern ARMOUR = Pattern.compile("-{4,5} ?BEGIN ([A-Z0-9 ]{1,60}?) ?-{4,5}");

  private final Lines lines;
  private final Consumer<Item> sink;
  private int number;
  private boolean fenced;
  private boolean marked;
  private long strayFrom;
  private long strays;
  private Refusal stray;

  private Intake(Lines lines, Consumer<Item> sink) {
    this.lines = lines;
    this.sink = sink;
  }

  /** Takes bytes in memory apart. If they carry a private key anywhere, that is all they give. */
  public static List<Item> read(byte[] bytes) {
    Optional<Refusal> secret = PrivateKeyText.refuse(bytes);
    if (secret.isPresent()) {
      return List.of(
          new Item(1, 1, 1, Optional.empty(), new Outcome.Refused(secret.get()), Set.of()));
    }
    List<Item> items = new ArrayList<>();
    try {
      read(new ByteArrayInputStream(bytes), items::add);
    } catch (IOException impossible) {
      throw new IllegalStateException("bytes in memory can be read", impossible);
    }
    return items;
  }

  /**
   * Takes a stream apart, piece by piece. A private key is refused where it is met; who must not
   * act on what stands before it looks with {@link PrivateKeyText#scan} first.
   *
   * @param sink gets each item as soon as it is whole
   * @throws IOException if the stream cannot be read
   */
  public static void read(InputStream in, Consumer<Item> sink) throws IOException {
    PushbackInputStream peekable = new PushbackInputStream(in, 8);
    byte[] head = peekable.readNBytes(8);
    peekable.unread(head);
    if (isBinary(head)) {
      byte[] whole = peekable.readNBytes(MAX_BLOCK + 1);
      sink.accept(binary(whole));
      return;
    }
    Lines lines = new Lines(peekable);
    new Intake(lines, sink).run();
  }

  private static boolean isBinary(byte[] head) {
    return isOpenPgp(head)
        || RevocationReading.isOne(head)
        || head.length > 4
            && (head[0] == 0x30 && (head[1] & 0x80) != 0
                || head[0] == 0x30 && head[2] == 0x30 && head[4] == 0x06
                || head[0] == 0 && head[1] == 0 && head[2] == 0);
  }

  /**
   * Whether it begins with the packet of a public key (RFC 9580 sections 4.2 and 5.5.1.1), of
   * version 3 to 6.
   */
  private static boolean isOpenPgp(byte[] head) {
    if (head.length < 8) {
      return false;
    }
    int version = 0;
    switch (head[0] & 0xff) {
      case 0x98 -> version = head[2];
      case 0x99 -> version = head[3];
      case 0xc6 -> version = (head[1] & 0xff) < 192 ? head[2] : head[3];
      default -> {
        // a text, or another packet
      }
    }
    return version >= 3 && version <= 6;
  }

  private static Item binary(byte[] whole) {
    Set<Correction> none = Set.of();
    Optional<Refusal> refusal = PrivateKeyText.refuse(whole);
    if (refusal.isEmpty() && isOpenPgp(whole)) {
      refusal = Optional.of(OtherTypes.openPgp());
    }
    if (refusal.isEmpty() && RevocationReading.isOne(whole)) {
      refusal =
          Optional.of(
              new Refusal(
                  Reason.OTHER_FORM,
                  "This is a list of revoked keys (PROTOCOL.krl), not a key to register.",
                  "Load it as a list of compromised keys.",
                  0));
    }
    if (refusal.isPresent()) {
      return new Item(1, 1, 1, Optional.empty(), new Outcome.Refused(refusal.get()), none);
    }
    try {
      if (whole.length > MAX_BLOCK) {
        throw tooLarge("file");
      }
      DerKeys.Found found = DerKeys.read(whole);
      return new Item(
          1,
          1,
          1,
          Optional.of(found.form()),
          new Outcome.Key(found.key(), "", KeyOptions.NONE),
          none);
    } catch (RefusedException refused) {
      return new Item(1, 1, 1, Optional.empty(), new Outcome.Refused(refused.refusal()), none);
    }
  }

  private void run() throws IOException {
    for (Line line = lines.next(); line != null; line = lines.next()) {
      take(line);
    }
    endOfStrays();
    if (number == 0) {
      Refusal refusal =
          new Refusal(
              Reason.EMPTY,
              "There is no key in this text.",
              "Paste the whole line of a .pub file.",
              0);
      emit(1, 1, Optional.empty(), new Outcome.Refused(refusal), Set.of());
    }
  }

  private void take(Line line) throws IOException {
    Set<Correction> corrections = EnumSet.noneOf(Correction.class);
    if (line.overlong()) {
      refuse(line.number(), 1, tooLarge("line").refusal(), corrections);
      return;
    }
    String text = Wrapping.bare(line.text(), corrections);
    if (text.isEmpty() || text.startsWith("#")) {
      return;
    }
    if (text.startsWith("```") || text.startsWith("~~~")) {
      fenced = !fenced;
      return;
    }
    if (Markup.isAll(text)) {
      marked = !text.startsWith("</");
      return;
    }
    if (text.indexOf('\0') >= 0) {
      refuse(
          line.number(),
          1,
          new Refusal(
              Reason.OTHER_FORM,
              "This line holds binary data.",
              "Give a key file in one of the known forms.",
              text.indexOf('\0')),
          corrections);
      return;
    }
    Matcher armour = ARMOUR.matcher(text);
    if (armour.find()) {
      block(line, text.substring(armour.start()), armour.group(1), corrections);
    } else if (text.startsWith("{") || text.startsWith("[")) {
      json(line, text, corrections);
    } else {
      keyLine(line, text, corrections);
    }
  }

  private void keyLine(Line line, String text, Set<Correction> corrections) throws IOException {
    LineReader.Read read = LineReader.read(text);
    long length = 1;
    if (!read.isFound()) {
      Optional<Mended> mended = mended(text, read);
      if (mended.isPresent()) {
        read = mended.get().read();
        corrections.addAll(mended.get().corrections());
        length += mended.get().lines();
      }
    }
    if (read.isStray()) {
      strays++;
      strayFrom = strays == 1 ? line.number() : strayFrom;
      stray = ((Outcome.Refused) read.outcome()).refusal();
      return;
    }
    corrections.addAll(read.corrections());
    emit(line.number(), length, read.form(), read.outcome(), corrections);
  }

  /** What was found when something was put right; how many of the following lines belong to it. */
  private record Mended(LineReader.Read read, int lines, Set<Correction> corrections) {}

  /** Tries what can be put right, the smallest change first. */
  private Optional<Mended> mended(String text, LineReader.Read asItIs) throws IOException {
    if (text.length() > OneLine.MAX_TEXT) {
      return Optional.empty();
    }
    Set<Correction> around = EnumSet.noneOf(Correction.class);
    LineReader.Read inner = LineReader.read(Wrapping.unquoted(text, around));
    if (inner.isFound()) {
      return Optional.of(new Mended(inner, 0, around));
    }
    around.clear();
    String bare = Wrapping.unquoted(Wrapping.unmarked(text, around), around);
    LineReader.Read read = bare.equals(text) ? asItIs : LineReader.read(bare);
    if (read.isFound()) {
      return Optional.of(new Mended(read, 0, around));
    }
    boolean goesOn = Continued.isPossible(text) && (text.contains("AAAA") || isTypeWord(text));
    if (!goesOn && !read.wantsMore() && !(read.isStray() && isTypeWord(bare))) {
      return Optional.empty();
    }
    List<Line> following = following();
    Optional<Mended> found = Optional.empty();
    if (goesOn) {
      List<String> rows = following.stream().map(next -> next.text().strip()).toList();
      found = Continued.of(text, rows).map(c -> new Mended(c.read(), c.lines(), c.corrections()));
    }
    if (found.isEmpty()) {
      found = joined(bare, around, following);
    }
    int taken = found.map(Mended::lines).orElse(0);
    lines.giveBack(following.subList(taken, following.size()));
    return found;
  }

  private static Optional<Mended> joined(
      String text, Set<Correction> around, List<Line> following) {
    Rows rows = new Rows(following);
    return Joined.of(text, rows)
        .map(
            joined -> {
              Set<Correction> all = EnumSet.copyOf(joined.corrections());
              all.addAll(around);
              rows.corrections.subList(0, joined.lines()).forEach(all::addAll);
              return new Mended(joined.read(), joined.lines(), all);
            });
  }

  /** Lines without what stands around them; each is looked at when it is asked for. */
  private static final class Rows extends AbstractList<String> {
    private final List<Line> lines;
    private final List<String> bare = new ArrayList<>();
    private final List<Set<Correction>> corrections = new ArrayList<>();

    Rows(List<Line> lines) {
      this.lines = lines;
    }

    @Override
    public String get(int row) {
      while (bare.size() <= row) {
        Set<Correction> ofRow = EnumSet.noneOf(Correction.class);
        String text = Wrapping.bare(lines.get(bare.size()).text(), ofRow);
        boolean isShort = text.length() <= OneLine.MAX_TEXT;
        bare.add(isShort ? Wrapping.unmarked(Wrapping.unquoted(text, ofRow), ofRow) : text);
        corrections.add(ofRow);
      }
      return bare.get(row);
    }

    @Override
    public int size() {
      return lines.size();
    }
  }

  /** The next lines that can belong to a key broken over several: up to the first blank one. */
  private List<Line> following() throws IOException {
    List<Line> following = new ArrayList<>();
    while (following.size() < MAX_JOINED_LINES) {
      Line next = lines.next();
      if (next == null) {
        break;
      }
      following.add(next);
      String text = next.text().strip();
      if (next.overlong() || text.isEmpty() || text.startsWith("#") || text.contains("-----")) {
        break;
      }
    }
    return following;
  }

  private static boolean isTypeWord(String text) {
    return text.endsWith("@openssh.com") || text.startsWith("ssh-") || text.startsWith("ecdsa-");
  }

  private void block(Line first, String start, String label, Set<Correction> corrections)
      throws IOException {
    boolean exchange = label.startsWith("SSH2 PUBLIC KEY");
    String end = "END " + label;
    List<String> body = new ArrayList<>();
    long length = 1;
    int size = 0;
    boolean closed = false;
    String rest = start.substring(start.indexOf("BEGIN " + label) + 6 + label.length());
    rest = rest.replaceFirst("^ ?-{4,5}", "");
    if (!rest.isBlank()) {
      corrections.add(Correction.ARMOUR_FLATTENED);
      int stop = rest.indexOf(end);
      closed = stop >= 0;
      String flat = closed ? rest.substring(0, stop).replaceFirst("-{4,5} ?$", "") : rest;
      String even = flat.replace("\\r", "").replace("\\n", "\n");
      body.addAll(exchange ? ExchangeFile.lines(even) : List.of(even.split("\\s+")));
    }
    while (!closed) {
      Line line = lines.next();
      if (line == null) {
        break;
      }
      length++;
      String text = Wrapping.bare(line.text(), corrections);
      if (ARMOUR.matcher(text).find()) {
        lines.giveBack(List.of(line));
        length--;
        break;
      }
      closed = text.contains(end);
      size += text.length();
      if (!closed && size <= MAX_BLOCK) {
        body.add(text);
      }
    }
    if (label.contains("PRIVATE")) {
      refuse(first.number(), length, PrivateKeyText.refusal("PEM"), corrections);
      return;
    }
    try {
      if (size > MAX_BLOCK) {
        throw tooLarge("block");
      }
      if (!closed) {
        throw new RefusedException(
            Reason.CUT_SHORT,
            "The armoured block has no last line.",
            "Copy it again, down to the line with END.",
            0);
      }
      if (exchange) {
        ExchangeFile file = ExchangeFile.read(body);
        String comment = file.comment().isEmpty() ? file.subject() : file.comment();
        emit(
            first.number(),
            length,
            Optional.of(Form.RFC4716),
            new Outcome.Key(file.key(), comment, KeyOptions.NONE),
            corrections);
      } else {
        Armour.Read read = Armour.read(label, String.join("", body));
        if (read.mislabelled()) {
          corrections.add(Correction.ARMOUR_LABEL);
        }
        emit(
            first.number(),
            length,
            Optional.of(read.form()),
            new Outcome.Key(read.key(), "", KeyOptions.NONE),
            corrections);
      }
    } catch (RefusedException refused) {
      refuse(first.number(), length, refused.refusal(), corrections);
    }
  }

  private void json(Line first, String start, Set<Correction> corrections) throws IOException {
    StringBuilder text = new StringBuilder(start);
    JsonDepth depth = new JsonDepth();
    depth.add(start);
    long length = 1;
    while (depth.open() && text.length() <= MAX_JSON) {
      Line line = lines.next();
      if (line == null) {
        break;
      }
      length++;
      depth.add(line.text());
      text.append('\n').append(line.text());
    }
    if (text.length() > MAX_JSON) {
      refuse(first.number(), length, tooLarge("JSON document").refusal(), corrections);
      return;
    }
    int at = 0;
    long line = first.number();
    for (Jwk.Found found : Jwk.read(text.toString())) {
      for (; at < found.offset() && at < text.length(); at++) {
        line += text.charAt(at) == '\n' ? 1 : 0;
      }
      if (found.reading() instanceof Reading.Key key) {
        emit(
            line,
            1,
            Optional.of(Form.JWK),
            new Outcome.Key(key.key(), key.comment(), KeyOptions.NONE),
            corrections);
      } else {
        refuse(line, 1, ((Reading.Refused) found.reading()).refusal(), corrections);
      }
    }
  }

  private void refuse(long line, long length, Refusal refusal, Set<Correction> corrections) {
    emit(line, length, Optional.empty(), new Outcome.Refused(refusal), corrections);
  }

  private void emit(
      long line, long length, Optional<Form> form, Outcome outcome, Set<Correction> corrections) {
    endOfStrays();
    Set<Correction> all = EnumSet.noneOf(Correction.class);
    all.addAll(corrections);
    all.addAll(lines.corrections());
    if (fenced) {
      all.add(Correction.FENCE);
    }
    if (marked) {
      all.add(Correction.MARKUP);
    }
    if (outcome instanceof Outcome.Key key && key.comment().indexOf('\ufffd') >= 0) {
      all.add(Correction.COMMENT_SHOWN);
    }
    sink.accept(new Item(++number, line, length, form, outcome, Set.copyOf(all)));
  }

  /** Lines without a key are one item, however many follow each other. */
  private void endOfStrays() {
    if (strays == 0) {
      return;
    }
    Refusal refusal =
        strays == 1
            ? stray
            : new Refusal(
                Reason.NO_KEY,
                "There is no key in these " + strays + " lines.",
                "Nothing needs to be done, unless one of them was meant to be a key.",
                0);
    sink.accept(
        new Item(
            ++number, strayFrom, strays, Optional.empty(), new Outcome.Refused(refusal), Set.of()));
    strays = 0;
  }

  private static RefusedException tooLarge(String what) {
    return new RefusedException(
        Reason.TOO_LARGE,
        "The " + what + " is larger than any key.",
        "Give the key file itself.",
        0);
  }

  /** The correction of a file name, if it needs one. */
  public static Optional<Correction> ofFileName(String name) {
    return name.toLowerCase(Locale.ROOT).endsWith(".pub.txt")
        ? Optional.of(Correction.FILE_NAME)
        : Optional.empty();
  }
}
