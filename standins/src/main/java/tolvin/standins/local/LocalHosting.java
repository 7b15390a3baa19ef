package tolvin.standins.local;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;

/**
 * Debian's git hosting layer gitolite on a local OpenSSH server. Users are files with a key each in
 * an administration repository, and all of them sign in with one login.
 */
public final class LocalHosting {
  /** The administration repository, as its administrators name it. */
  public static final String PATH = "gitolite-admin";

  /** The branch that counts. */
  public static final String BRANCH = "master";

  /** Who may push to the administration repository. */
  private static final String KEEPER = "keeper";

  private final LocalSshServer server;
  private final String login;

  private LocalHosting(LocalSshServer server, String login) {
    this.server = server;
    this.login = login;
  }

  /**
   * Sets it up in an account's home.
   *
   * @param keeper the key of the user who may change the administration repository, a line
   * @throws IOException if it could not be set up
   */
  public static LocalHosting in(LocalSshServer server, String login, String keeper)
      throws IOException {
    LocalHosting made = new LocalHosting(server, login);
    Path home = server.home(login);
    Path key = Files.writeString(home.resolve(KEEPER + ".pub"), keeper + "\n");
    Unprivileged.own(home);
    made.run("", List.of("gitolite", "setup", "-pk", key.toString()));
    return made;
  }

  /** Lets everybody on record read and write a repository, besides what stands there. */
  public void open(String repository) throws IOException {
    outside(
        "conf/gitolite.conf",
        "repo gitolite-admin\n    RW+ = keeper\n\nrepo " + repository + "\n    RW+ = @all\n");
  }

  /** Another administrator writes a file of the administration repository and pushes. */
  public void outside(String file, String content) throws IOException {
    push(file, content, false);
  }

  /** The same, and whatever else is in the file's directory goes. */
  public void alone(String file, String content) throws IOException {
    push(file, content, true);
  }

  private void push(String file, String content, boolean alone) throws IOException {
    Path clone = Files.createTempDirectory(server.directory(), "clone");
    Unprivileged.own(clone);
    run("", List.of("git", "clone", "-q", bare(PATH).toString(), clone.toString()));
    Path path = clone.resolve(file);
    if (alone) {
      git(clone, "rm", "-r", "-q", "--ignore-unmatch", path.getParent().toString());
    }
    Files.createDirectories(path.getParent());
    Files.writeString(path, content);
    Unprivileged.own(clone);
    git(clone, "add", "-A");
    git(clone, "commit", "-q", "-m", "Somebody's change of " + file);
    git(clone, "push", "-q", "origin", "HEAD:" + BRANCH);
  }

  /** What a git command in the administration repository says. */
  public String say(String... command) throws IOException {
    return git(bare(PATH), command);
  }

  /** The lines that let users in, as the layer wrote them. */
  public List<String> lets(String user) throws IOException {
    return Files.readAllLines(server.authorizedKeys(login)).stream()
        .filter(line -> line.contains("gitolite-shell " + user + "\""))
        .toList();
  }

  private Path bare(String repository) {
    return server.home(login).resolve("repositories").resolve(repository + ".git");
  }

  private String git(Path directory, String... command) throws IOException {
    List<String> whole = new ArrayList<>(List.of("git", "-C", directory.toString()));
    whole.addAll(
        List.of("-c", "user.name=Perpetua Quill", "-c", "user.email=perpetua@skerrymoor.example"));
    whole.addAll(List.of(command));
    return run(KEEPER, whole);
  }

  private String run(String user, List<String> command) throws IOException {
    ProcessBuilder builder = new ProcessBuilder(Unprivileged.command(command));
    builder.environment().put("HOME", server.home(login).toString());
    builder.environment().put("USER", login);
    builder.environment().put("GL_USER", user); // what its hooks want to know of a push from here
    builder.environment().put("GL_LIBDIR", "/usr/share/gitolite3/lib");
    builder.environment().put("GL_BINDIR", "/usr/share/gitolite3");
    builder.environment().put("GL_REPO", PATH);
    builder.environment().put("GIT_CONFIG_NOSYSTEM", "1");
    return Processes.said(builder);
  }
}
