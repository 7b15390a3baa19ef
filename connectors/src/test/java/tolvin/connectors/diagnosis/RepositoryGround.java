package tolvin.connectors.diagnosis;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import tolvin.connectors.git.RepositorySides;
import tolvin.connectors.ssh.SshConnections;
import tolvin.core.diagnosis.AccountSide;
import tolvin.core.diagnosis.CauseKind;
import tolvin.core.diagnosis.Circumstances.KeysFile;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.SecretPair;
import tolvin.standins.local.LocalHosting;
import tolvin.standins.local.LocalSshServer;

/**
 * A real git hosting layer: one login for all, and a file of its administration repository each.
 */
final class RepositoryGround extends ServerGround {
  private final LocalHosting hosting;
  private final RepositorySides sides;

  RepositoryGround(LocalSshServer server, SshConnections connections) throws IOException {
    super("in a key repository", server, connections);
    server.account("git").account(KEEPER).start();
    SecretPair keeper = KeyPairMaker.ed25519(Scene.RANDOM);
    hosting = LocalHosting.in(server, "git", keeper.key().line());
    hosting.open("boats");
    server.authorize(KEEPER, management.key().line());
    sides = new RepositorySides(server, keeper, connections);
  }

  @Override
  public String user(String account) {
    return "git";
  }

  @Override
  public void build(Scene scene, String account) throws IOException {
    // a file that the layer cannot read would keep it from taking in anybody's
    String file = scene.fileName.equals("authorized_keys") ? "{login}.pub" : scene.fileName;
    String content =
        scene.isRegistered
            ? new String(scene.content(scene.key().line()), StandardCharsets.ISO_8859_1)
            : KeyPairMaker.ed25519(Scene.RANDOM).key().line() + "\n";
    String owner = scene.isRegistered ? account : "nobody";
    hosting.alone("keydir/people/" + file.replace("{login}", owner), content);
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
        "the client signs in with the account's name",
        CauseKind.WRONG_LOGIN,
        "login",
        s -> s.asUser = Optional.of("isla"));
    Mistake.add(
        all,
        "the key was never registered",
        CauseKind.NOT_REGISTERED,
        "lines",
        s -> s.isRegistered = false);
    Mistake.add(
        all,
        "somebody took the key out",
        CauseKind.REPLACED,
        "lines",
        s -> {
          s.text = KeyPairMaker.ed25519(Scene.RANDOM).key().line() + "\n";
          s.placedAt = Optional.of(Instant.now().minus(Duration.ofDays(3)));
        });
    Mistake.add(
        all,
        "the file has another ending than the layer reads",
        CauseKind.WRONG_FILE_NAME,
        "lines",
        s -> s.fileName = "{login}.pub.txt");
    Mistake.add(
        all,
        "a second line stands in the file, and the layer ignores it",
        CauseKind.SEVERAL_IN_A_FILE,
        "lines",
        s -> s.text = KeyPairMaker.ed25519(Scene.RANDOM).key().line() + "\nLINE\n");
    Mistake.add(
        all,
        "an option before the key",
        CauseKind.LINE_OPTION,
        "lines",
        s -> s.text = "restrict LINE\n");
    Mistake.add(
        all,
        "a mail program wrapped the line",
        CauseKind.LINE_WRAPPED,
        "lines",
        s -> s.text = s.key().line().replaceAll("(.{60})", "$1\n") + "\n");
    Mistake.add(
        all,
        "the type word is missing",
        CauseKind.LINE_DAMAGED,
        "lines",
        s -> s.text = "KEY isla\n");
    Mistake.add(
        all,
        "the layer has not taken in the last push",
        CauseKind.OTHER_SOURCE,
        "lines policy",
        s -> s.afterwards.add(account -> forgotten(s)));
    return all;
  }

  /** What the layer wrote is lost, as after a restore from a back-up. */
  private void forgotten(Scene s) throws IOException {
    Path file = server.authorizedKeys("git");
    String body = s.key().line().split(" ")[1];
    List<String> kept = Files.readAllLines(file).stream().filter(l -> !l.contains(body)).toList();
    Files.write(file, kept);
  }

  @Override
  public void close() {
    sides.close();
    super.close();
  }
}
