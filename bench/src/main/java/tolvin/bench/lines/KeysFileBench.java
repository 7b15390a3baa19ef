package tolvin.bench.lines;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Instant;
import java.util.ArrayList;
import java.util.BitSet;
import java.util.EnumMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Stream;
import tolvin.connectors.ssh.SshConnections;
import tolvin.connectors.ssh.SshTrials;
import tolvin.core.authorized.Admission;
import tolvin.core.authorized.Admission.Kind;
import tolvin.core.authorized.AuthorizedKeys;
import tolvin.core.authorized.ServerOptions;
import tolvin.core.key.PublicKey;
import tolvin.core.pair.SecretPair;
import tolvin.core.port.Login;
import tolvin.core.port.PortException;
import tolvin.core.port.Server;
import tolvin.core.port.TrialPort;
import tolvin.core.server.ServerAbility;
import tolvin.core.server.ServerKind;
import tolvin.standins.local.LocalDropbear;
import tolvin.standins.local.LocalKeysServer;
import tolvin.standins.local.LocalProftpd;
import tolvin.standins.local.LocalSshServer;
import tolvin.standins.local.Ports;

/**
 * Holds what Tolvin says of files of keys against what this machine's servers do with them:
 * OpenSSH's, Dropbear's, ProFTPD's. Every entry has a key of its own, so that a server can be asked
 * for the key.
 */
public final class KeysFileBench {
  private static final String ACCOUNT = "boats";
  private static final String FROM = "127.0.0.1";
  private static final int AT_ONCE = 250;
  private static final int BLOCKS_AT_ONCE = 10;

  private KeysFileBench() {}

  /**
   * What came of it.
   *
   * @param said how often Tolvin said what
   * @param letIn how many of the entries the server lets their key in through
   * @param wrong entries of which Tolvin said something else than the server did
   */
  public record Outcome(Map<Kind, Integer> said, int letIn, List<String> wrong) {}

  /** Prints what came of many entries. */
  public static void run(Path directory) throws Exception {
    int lines = Integer.getInteger("lines", 100_000);
    long seed = Long.getLong("lines.seed", System.nanoTime());
    for (ServerKind server : List.of(ServerKind.OPENSSH, ServerKind.DROPBEAR, ServerKind.PROFTPD)) {
      int count = server == ServerKind.PROFTPD ? lines / 50 : lines; // each needs a sign-in
      Outcome outcome = compared(server, directory, count, seed);
      outcome.wrong().stream().limit(40).forEach(System.out::println);
      System.out.printf(
          "%d entries of a file of keys (seed %d) against this machine's %s server%n"
              + "  it lets %d keys in; Tolvin says %s; otherwise than the server: %d%n",
          count, seed, server.title(), outcome.letIn(), outcome.said(), outcome.wrong().size());
    }
  }

  /** Compares entries. */
  public static Outcome compared(ServerKind server, Path directory, int count, long seed)
      throws Exception {
    try (LocalKeysServer at = server(server, directory).account(ACCOUNT).start()) {
      return server == ServerKind.PROFTPD
          ? blocks(at, count, seed)
          : lines(at, server, count, seed);
    }
  }

  private static LocalKeysServer server(ServerKind kind, Path directory) throws IOException {
    Path own = directory.resolve("keys-of-" + kind);
    return switch (kind) {
      case OPENSSH ->
          LocalSshServer.at(
              own,
              Ports.free(),
              "MaxAuthTries 1000000",
              "LoginGraceTime 0",
              "LogLevel QUIET",
              "UseDNS no");
      case DROPBEAR -> LocalDropbear.at(own, Ports.free());
      case PROFTPD -> LocalProftpd.at(own, Ports.free());
      case OTHER -> throw new IllegalArgumentException("its rules are not known");
    };
  }

  /** Asks for the key of each line, many on a connection. */
  private static Outcome lines(LocalKeysServer server, ServerKind kind, int count, long seed)
      throws Exception {
    Lines lines = new Lines(seed, kind);
    Counted counted = new Counted(ServerAbility.usual(kind));
    for (int done = 0; done < count; done += AT_ONCE) {
      List<Lines.Made> made = new ArrayList<>();
      StringBuilder file = new StringBuilder();
      for (int i = 0; i < Math.min(AT_ONCE, count - done); i++) {
        Lines.Made line = lines.next();
        made.add(line);
        file.append(line.text()).append('\n');
      }
      byte[] content = file.toString().getBytes(StandardCharsets.ISO_8859_1);
      Files.write(server.authorizedKeys(ACCOUNT), content);
      List<PublicKey> keys = made.stream().map(Lines.Made::key).toList();
      BitSet answers = Asked.of(server.port(), ACCOUNT, keys);
      for (int i = 0; i < made.size(); i++) {
        String text = made.get(i).text() + "\n";
        counted.compare(text, text, keys.get(i), answers.get(i));
      }
    }
    return counted.outcome();
  }

  /**
   * Signs in with the key of each block: ProFTPD says yes to every question without a signature.
   */
  private static Outcome blocks(LocalKeysServer server, int count, long seed) throws Exception {
    Blocks blocks = new Blocks(seed);
    Counted counted = new Counted(ServerAbility.usual(ServerKind.PROFTPD));
    Server at = new Server("proftpd", FROM, server.port(), List.of(server.hostKey()));
    try (SshConnections connections = new SshConnections()) {
      TrialPort trials = new SshTrials(connections);
      for (int done = 0; done < count; done += BLOCKS_AT_ONCE) {
        List<Blocks.Made> made = new ArrayList<>();
        StringBuilder file = new StringBuilder();
        for (int i = 0; i < Math.min(BLOCKS_AT_ONCE, count - done); i++) {
          made.add(blocks.next());
          file.append(made.get(i).text());
        }
        Files.write(
            server.authorizedKeys(ACCOUNT), file.toString().getBytes(StandardCharsets.ISO_8859_1));
        List<Boolean> answers =
            made.parallelStream().map(block -> letIn(trials, at, block.pair())).toList();
        for (int i = 0; i < made.size(); i++) {
          Blocks.Made block = made.get(i);
          counted.compare(file.toString(), block.text(), block.pair().key(), answers.get(i));
        }
      }
    }
    return counted.outcome();
  }

  private static boolean letIn(TrialPort trials, Server at, SecretPair pair) {
    try {
      return trials
          .attempt(
              new TrialPort.Attempt(
                  TrialPort.Way.SSH, new Login(at, ACCOUNT, pair), "", Optional.empty()))
          .accepted();
    } catch (PortException lost) {
      throw new IllegalStateException(lost);
    }
  }

  /** What was compared so far. */
  private static final class Counted {
    private final ServerAbility ability;
    private final Map<Kind, Integer> said = new EnumMap<>(Kind.class);
    private final List<String> wrong = new ArrayList<>();
    private int letIn;

    Counted(ServerAbility ability) {
      this.ability = ability;
    }

    Outcome outcome() {
      return new Outcome(said, letIn, wrong);
    }

    /**
     * Compares what is said of a key with what the server did, on a sign-in from here, now.
     *
     * @param file the file that the entry stands in, as far as it matters for it
     */
    void compare(String file, String entry, PublicKey key, boolean isLetIn) {
      letIn += isLetIn ? 1 : 0;
      AuthorizedKeys keys = AuthorizedKeys.of(file.getBytes(StandardCharsets.ISO_8859_1), ability);
      List<Admission> ofKey =
          keys.lines().stream()
              .map(AuthorizedKeys.Line::admission)
              .filter(a -> a.key().isEmpty() || a.key().get().equals(key))
              .toList();
      Kind kind =
          Stream.of(Kind.LETS_IN, Kind.AUTHORITY, Kind.DOUBTFUL, Kind.IGNORED, Kind.NOTHING)
              .filter(k -> ofKey.stream().anyMatch(a -> a.kind() == k))
              .findFirst()
              .orElse(Kind.IGNORED); // it has become another key's
      said.merge(kind, 1, Integer::sum);
      boolean fits =
          ofKey.stream()
              .filter(a -> a.kind() == Kind.LETS_IN)
              .anyMatch(a -> a.read().map(KeysFileBench::holdsHere).orElse(true));
      if (ofKey.stream().noneMatch(a -> a.kind() == Kind.DOUBTFUL) && fits != isLetIn) {
        wrong.add(
            (isLetIn ? "let in, " : "not let in, ")
                + kind
                + " "
                + String.join("; ", ofKey.stream().map(Admission::why).distinct().toList())
                + ": "
                + shown(entry));
      }
    }
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
