package tolvin.bench.lines;

import java.io.ByteArrayOutputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Instant;
import java.util.ArrayList;
import java.util.BitSet;
import java.util.EnumMap;
import java.util.List;
import java.util.Map;
import tolvin.core.authorized.Admission;
import tolvin.core.authorized.Admission.Kind;
import tolvin.core.authorized.ServerOptions;
import tolvin.core.key.PublicKey;
import tolvin.standins.local.LocalSshServer;
import tolvin.standins.local.Ports;

/**
 * Holds what Tolvin says of lines of {@code authorized_keys} against what this machine's OpenSSH
 * server does with them. Every line has a key of its own, so that the server can be asked for the
 * key.
 */
public final class KeysFileBench {
  private static final String ACCOUNT = "boats";
  private static final String FROM = "127.0.0.1";
  private static final int AT_ONCE = 250;

  private KeysFileBench() {}

  /**
   * What came of it.
   *
   * @param said how often Tolvin said what
   * @param letIn how many of the lines the server lets their key in through
   * @param wrong lines of which Tolvin said something else than the server did
   */
  public record Outcome(Map<Kind, Integer> said, int letIn, List<String> wrong) {}

  /** Prints what came of many lines. */
  public static void run(Path directory) throws Exception {
    int lines = Integer.getInteger("lines", 100_000);
    long seed = Long.getLong("lines.seed", System.nanoTime());
    Outcome outcome = compared(directory, lines, seed);
    outcome.wrong().stream().limit(40).forEach(System.out::println);
    System.out.printf(
        "%d lines of authorized_keys (seed %d) against this machine's OpenSSH server%n"
            + "  it lets %d keys in; Tolvin says %s; otherwise than the server: %d%n",
        lines, seed, outcome.letIn(), outcome.said(), outcome.wrong().size());
  }

  /** Compares lines. */
  public static Outcome compared(Path directory, int count, long seed) throws Exception {
    Lines lines = new Lines(seed);
    Map<Kind, Integer> said = new EnumMap<>(Kind.class);
    List<String> wrong = new ArrayList<>();
    int letIn = 0;
    try (LocalSshServer sshd =
        LocalSshServer.at(
                directory.resolve("sshd-of-lines"),
                Ports.free(),
                "MaxAuthTries 1000000",
                "LoginGraceTime 0",
                "LogLevel QUIET",
                "UseDNS no")
            .account(ACCOUNT)
            .start()) {
      for (int done = 0; done < count; done += AT_ONCE) {
        List<Lines.Made> made = new ArrayList<>();
        ByteArrayOutputStream file = new ByteArrayOutputStream();
        for (int i = 0; i < Math.min(AT_ONCE, count - done); i++) {
          Lines.Made line = lines.next();
          made.add(line);
          file.writeBytes(line.text().getBytes(StandardCharsets.ISO_8859_1));
          file.write('\n');
        }
        Files.write(sshd.authorizedKeys(ACCOUNT), file.toByteArray());
        List<PublicKey> keys = made.stream().map(Lines.Made::key).toList();
        BitSet answers = Asked.of(sshd.port(), ACCOUNT, keys);
        letIn += answers.cardinality();
        for (int i = 0; i < made.size(); i++) {
          Admission admission = Admission.of(made.get(i).text());
          said.merge(admission.kind(), 1, Integer::sum);
          if (!agrees(admission, made.get(i).key(), answers.get(i))) {
            wrong.add(
                (answers.get(i) ? "let in, " : "not let in, ")
                    + admission.kind()
                    + " "
                    + admission.why()
                    + ": "
                    + shown(made.get(i).text()));
          }
        }
      }
    }
    return new Outcome(said, letIn, wrong);
  }

  /** Whether what was said fits a sign-in from here, now. */
  private static boolean agrees(Admission admission, PublicKey key, boolean isLetIn) {
    if (admission.kind() == Kind.DOUBTFUL) {
      return true; // it may
    }
    boolean fits =
        admission.kind() == Kind.LETS_IN
            && admission.key().filter(key::equals).isPresent()
            && admission.read().map(KeysFileBench::holdsHere).orElse(true);
    return fits == isLetIn;
  }

  private static boolean holdsHere(ServerOptions options) {
    return options.sources().map(list -> list.matches(FROM, FROM)).orElse(true)
        && options.end().map(end -> Instant.now().isBefore(end)).orElse(true);
  }

  private static String shown(String line) {
    StringBuilder shown = new StringBuilder();
    for (char c : line.toCharArray()) {
      shown.append(c < ' ' || c > '~' ? String.format("<%02x>", (int) c) : String.valueOf(c));
    }
    return shown.length() > 400 ? shown.substring(0, 400) + "…" : shown.toString();
  }
}
