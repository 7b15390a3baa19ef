package tolvin.connectors.diagnosis;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Base64;
import java.util.List;
import java.util.Optional;
import java.util.function.Function;
import tolvin.connectors.directory.DirectorySides;
import tolvin.connectors.ssh.SshConnections;
import tolvin.core.diagnosis.AccountSide;
import tolvin.core.diagnosis.CauseKind;
import tolvin.core.diagnosis.Circumstances.KeysFile;
import tolvin.core.form.ExchangeFile;
import tolvin.core.pair.KeyPairMaker;
import tolvin.standins.local.LocalDirectory;
import tolvin.standins.local.LocalSshServer;
import tolvin.standins.local.Ports;

/**
 * Debian's directory server, and an OpenSSH server that takes its accounts' keys from there; Tolvin
 * may look at that server's log through its own account, whose keys are there as well.
 */
final class DirectoryGround extends ServerGround {
  private static final String SECRET = "s3cret-of-the-directory";

  private final LocalDirectory directory;
  private final DirectorySides sides;

  private DirectoryGround(
      LocalDirectory directory, LocalSshServer server, SshConnections connections)
      throws IOException {
    super("in a directory", server, connections);
    this.directory = directory;
    this.sides = new DirectorySides(directory, SECRET);
    server.account(KEEPER).start();
    register(KEEPER, FileGround.bytes(management.key().line()));
  }

  static DirectoryGround in(Path files, SshConnections connections) throws IOException {
    LocalDirectory directory =
        LocalDirectory.start(files.resolve("directory"), Ports.free(), SECRET);
    List<String> options = new ArrayList<>(directory.sshOptions("runner"));
    options.addAll(List.of("Match User *-deny*", "  DenyUsers *"));
    options.addAll(List.of("Match User *-elsewhere*", "  AuthorizedKeysCommand none"));
    return new DirectoryGround(
        directory,
        LocalSshServer.at(files.resolve("ssh"), Ports.free(), options.toArray(String[]::new)),
        connections);
  }

  private void register(String account, byte[] value) throws IOException {
    directory.person(account, "Isla Renwick");
    directory.modify(
        "ldapmodify",
        "dn: uid="
            + account
            + ",ou=people,"
            + LocalDirectory.BASE
            + "\nchangetype: modify\nadd: objectClass\nobjectClass: "
            + LocalDirectory.CLASS
            + "\n-\nadd: "
            + LocalDirectory.ATTRIBUTE
            + "\n"
            + LocalDirectory.ATTRIBUTE
            + ":: "
            + Base64.getEncoder().encodeToString(value)
            + "\n");
  }

  @Override
  public void build(Scene scene, String account) throws IOException {
    server.account(account);
    if (!scene.hasEntry) {
      return;
    }
    directory.person(account, "Isla Renwick");
    if (scene.isRegistered) {
      String value =
          new String(scene.content(scene.key().line("isla")), StandardCharsets.ISO_8859_1);
      register(account, FileGround.bytes(value.stripTrailing()));
    }
  }

  @Override
  Optional<KeysFile> lines(String account) {
    return sides.look(account).lines();
  }

  @Override
  public Optional<AccountSide> account(Scene scene, String account) {
    return Optional.of(sides.look(account).side());
  }

  @Override
  public List<Mistake> own() {
    List<Mistake> all = new ArrayList<>();
    Mistake.add(
        all,
        "the key was never registered",
        CauseKind.NOT_REGISTERED,
        "lines",
        s -> s.isRegistered = false);
    Mistake.add(
        all, "the person has no entry", CauseKind.LOGIN_UNKNOWN, "lines", s -> s.hasEntry = false);
    Mistake.add(
        all,
        "the key is in another person's entry",
        CauseKind.WRONG_ACCOUNT,
        "lines",
        s -> {
          s.isRegistered = false;
          s.otherAccounts = List.of("tormod@people");
        });
    Mistake.add(
        all,
        "somebody took the key out",
        CauseKind.REPLACED,
        "lines",
        s -> {
          s.text = KeyPairMaker.ed25519(Scene.RANDOM).key().line() + "\n";
          s.placedAt = Optional.of(Instant.now().minus(Duration.ofDays(3)));
        });
    line(all, "the value was wrapped", CauseKind.LINE_WRAPPED, s -> wrapped(s));
    line(all, "the type word is missing", CauseKind.LINE_DAMAGED, s -> "KEY isla\n");
    line(
        all,
        "the end of the key was not copied",
        CauseKind.LINE_DAMAGED,
        s -> s.key().line().substring(0, s.key().line().length() - 9));
    line(all, "an option that does not exist", CauseKind.LINE_OPTION, s -> "no-shell LINE\n");
    line(all, "the line has ended", CauseKind.EXPIRED, s -> "expiry-time=\"20250101Z\" LINE\n");
    line(
        all,
        "from= names another address",
        CauseKind.WRONG_ADDRESS,
        s -> "from=\"192.0.2.7\" LINE\n");
    Mistake.add(
        all,
        "the exchange form was pasted",
        CauseKind.OTHER_FORM,
        "lines",
        s -> s.bytes = Optional.of(FileGround.bytes(ExchangeFile.write(s.key(), "isla"))));
    Mistake.add(
        all,
        "the login is denied on the server",
        CauseKind.LOGIN_NOT_ALLOWED,
        "policy",
        s -> s.tags.append("-deny"));
    Mistake.add(
        all,
        "the account does not exist on the server",
        CauseKind.LOGIN_UNKNOWN,
        "policy lines login",
        s -> s.accountExists = false);
    Mistake.add(
        all,
        "the server takes its keys from elsewhere",
        CauseKind.OTHER_SOURCE,
        "policy",
        s -> s.tags.append("-elsewhere"));
    Mistake.add(
        all,
        "the server takes its keys from elsewhere, and its log is not to be seen",
        CauseKind.OTHER_SOURCE,
        "policy",
        s -> {
          s.tags.append("-elsewhere");
          s.showsLog = false;
        });
    Mistake.add(
        all,
        "the key was placed a moment ago, and the server remembers what it asked before",
        CauseKind.NOT_YET_EVERYWHERE,
        "policy",
        s -> {
          s.tags.append("-elsewhere");
          s.placedAt = Optional.of(Instant.now().minusSeconds(5));
          s.propagation = Duration.ofMinutes(10);
        });
    Mistake.add(
        all,
        "another login in the client's configuration",
        CauseKind.WRONG_LOGIN,
        "login",
        s -> s.asUser = Optional.of("keeper"));
    return all;
  }

  private static String wrapped(Scene s) {
    return s.key().line().replaceAll("(.{60})", "$1\n") + "\n";
  }

  private static void line(
      List<Mistake> all, String name, CauseKind kind, Function<Scene, String> of) {
    Mistake.add(all, name, kind, "lines", s -> s.text = of.apply(s));
  }

  @Override
  public void close() {
    sides.close();
    super.close();
    directory.close();
  }
}
