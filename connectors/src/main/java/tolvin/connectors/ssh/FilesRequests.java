package tolvin.connectors.ssh;

import java.io.ByteArrayInputStream;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.nio.charset.StandardCharsets;
import java.security.SecureRandom;
import java.time.Duration;
import java.util.Arrays;
import java.util.HexFormat;
import java.util.List;
import java.util.Optional;
import java.util.stream.Collectors;
import org.apache.sshd.client.channel.ChannelExec;
import org.apache.sshd.client.channel.ClientChannelEvent;
import org.apache.sshd.client.session.ClientSession;
import tolvin.core.key.PlainText;
import tolvin.core.server.FilesScript;
import tolvin.core.server.FilesWay;
import tolvin.core.word.Words;

/**
 * Requests to the script of {@link FilesScript} on one connection: as a command that the server
 * forces on the login, or with the script's text sent along to the login's shell. How requests and
 * answers are written stands in the script.
 */
final class FilesRequests {
  /** No standard input. */
  static final byte[] NOTHING = {};

  /** What may stand before an answer: what a login's start-up files print. */
  private static final int MOST_NOISE = 64 * 1024;

  private static final Duration LONG = Duration.ofHours(1);
  private static final int TOKEN = 16;
  private static final String PLAIN =
      "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789._-/";
  private static final SecureRandom RANDOM = new SecureRandom();

  private final ClientSession session;
  private final FilesWay way;
  private volatile String home;

  private FilesRequests(ClientSession session, FilesWay way) {
    this.session = session;
    this.way = way;
  }

  /** How a request ended. */
  enum Outcome {
    OK,
    /** Nothing is there. */
    NONE,
    /** The directory is not there. */
    MISSING,
    /** The login may not. */
    FORBIDDEN,
    /** The script was told not to touch it. */
    REFUSED,
    /** It would belong to somebody else. */
    OWNER,
    /** It could not be written whole. */
    SIZE,
    /** Another reason. */
    FAILED
  }

  /**
   * What came back.
   *
   * @param said the reason or number behind the outcome; empty if there is none
   * @param content what was asked for; empty unless it is OK
   */
  record Answer(Outcome outcome, String said, byte[] content) {}

  /**
   * Finds out how it can be asked on a connection.
   *
   * @return empty if the login runs neither the script nor a shell
   * @throws IOException if the connection was lost
   */
  static Optional<FilesRequests> on(ClientSession session) throws IOException {
    for (FilesWay way : List.of(FilesWay.SCRIPT, FilesWay.COMMANDS)) {
      FilesRequests script = new FilesRequests(session, way);
      try {
        if (script.ask(NOTHING, 0, "hello").outcome() == Outcome.OK) {
          return Optional.of(script);
        }
      } catch (IOException e) {
        if (!session.isOpen()) {
          throw e;
        }
      }
    }
    return Optional.empty();
  }

  /** The directory that the login begins in, once it is known. */
  Optional<String> home() {
    return Optional.ofNullable(home);
  }

  /** Keeps the directory that the login begins in, so that it is asked for once a connection. */
  void startsIn(String directory) {
    home = directory;
  }

  /** Which way it is. */
  FilesWay way() {
    return way;
  }

  /**
   * Asks.
   *
   * @param input what the script reads from standard input
   * @param most how many bytes the answer may have
   * @throws IOException if no whole answer came: what was asked for may have been done or not
   */
  Answer ask(byte[] input, int most, String verb, String... arguments) throws IOException {
    byte[] random = new byte[TOKEN];
    RANDOM.nextBytes(random);
    String token = HexFormat.of().formatHex(random);
    String request =
        token
            + " "
            + verb
            + Arrays.stream(arguments).map(a -> " " + written(a)).collect(Collectors.joining());
    Bounded said = new Bounded(most + MOST_NOISE);
    try (ChannelExec channel = session.createExecChannel(command(request))) {
      channel.setIn(new ByteArrayInputStream(input));
      channel.setOut(said);
      channel.setErr(OutputStream.nullOutputStream());
      channel.open().verify(SshClients.PATIENCE);
      channel.waitFor(
          List.of(ClientChannelEvent.CLOSED), LONG); // its host's limit ends the session
    }
    return answer(said.bytes(), token);
  }

  private String command(String request) {
    if (way == FilesWay.SCRIPT) {
      return FilesScript.NAME + " " + request;
    }
    // single quotes hold a backslash as it is in every shell that a login may have but csh's
    return "exec /bin/sh -c '"
        + FilesScript.SENT
        + "' "
        + FilesScript.NAME
        + " call "
        + Arrays.stream(request.split(" "))
            .map(w -> "'" + w + "'")
            .collect(Collectors.joining(" "));
  }

  /** An argument as the script reads it. */
  private static String written(String argument) {
    StringBuilder written = new StringBuilder();
    for (byte b : argument.getBytes(StandardCharsets.UTF_8)) {
      if (PLAIN.indexOf(b) >= 0) {
        written.append((char) b);
      } else if (b == 0) {
        throw new IllegalArgumentException("a NUL in a path");
      } else {
        written.append(String.format("\\0%03o", b & 0xff));
      }
    }
    return written.toString();
  }

  private static Answer answer(byte[] said, String token) throws IOException {
    byte[] begin = (token + " ").getBytes(StandardCharsets.US_ASCII);
    int at = find(said, begin, 0);
    while (at > 0 && said[at - 1] != '\n') {
      at = find(said, begin, at + 1);
    }
    int end = at < 0 ? -1 : find(said, new byte[] {'\n'}, at);
    if (end < 0) {
      throw new IOException("no answer to a command");
    }
    String[] line =
        new String(said, at + begin.length, end - at - begin.length, StandardCharsets.UTF_8)
            .split(" ", 2);
    String reason = line.length > 1 ? PlainText.shown(line[1]) : "";
    Outcome outcome = Words.read(Outcome.class, line[0]).orElse(Outcome.FAILED);
    if (outcome != Outcome.OK) {
      return new Answer(outcome, reason, new byte[0]);
    }
    byte[] last = ("\n" + token + " end\n").getBytes(StandardCharsets.US_ASCII);
    int from = said.length - last.length;
    if (from < end || !Arrays.equals(said, from, said.length, last, 0, last.length)) {
      throw new IOException("an answer to a command was cut short");
    }
    return new Answer(outcome, reason, Arrays.copyOfRange(said, Math.min(end + 1, from), from));
  }

  private static int find(byte[] in, byte[] what, int from) {
    for (int i = from; i <= in.length - what.length; i++) {
      if (Arrays.equals(in, i, i + what.length, what, 0, what.length)) {
        return i;
      }
    }
    return -1;
  }

  /** Keeps what comes until it is too much; the answer is no whole one then. */
  private static final class Bounded extends OutputStream {
    private final int most;
    private final ByteArrayOutputStream kept = new ByteArrayOutputStream();

    Bounded(int most) {
      this.most = most;
    }

    @Override
    public synchronized void write(int b) throws IOException {
      write(new byte[] {(byte) b}, 0, 1);
    }

    @Override
    public synchronized void write(byte[] bytes, int from, int length) throws IOException {
      if (kept.size() + length > most) {
        throw new IOException("a command says more than was asked for");
      }
      kept.write(bytes, from, length);
    }

    synchronized byte[] bytes() {
      return kept.toByteArray();
    }
  }
}
