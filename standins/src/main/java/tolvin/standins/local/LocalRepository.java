package tolvin.standins.local;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.nio.file.attribute.PosixFilePermissions;
import java.util.ArrayList;
import java.util.List;

/**
 * A git repository on a local OpenSSH server, below the home of one account, and a second clone in
 * which somebody else works. A hook may apply what is pushed: it writes each {@code keys/LOGIN.pub}
 * into the file that the server reads that login's keys from.
 */
public final class LocalRepository {
  /** The repository's path for the account. */
  public static final String PATH = "keys.git";

  private final LocalSshServer server;
  private final String account;

  private LocalRepository(LocalSshServer server, String account) {
    this.server = server;
    this.account = account;
  }

  /** Makes a repository with one commit in an account's home, unless it is there. */
  public static LocalRepository in(LocalSshServer server, String account) throws IOException {
    LocalRepository made = new LocalRepository(server, account);
    if (Files.exists(made.bare())) {
      return made;
    }
    Path clone = made.work();
    Unprivileged.own(server.directory());
    git(null, "init", "-q", "--bare", "-b", "main", made.bare().toString());
    git(made.bare(), "config", "gc.auto", "0"); // nothing tidies up behind the tests' back
    git(null, "clone", "-q", made.bare().toString(), clone.toString());
    git(clone, "checkout", "-q", "-b", "main");
    Files.writeString(clone.resolve("README"), "Who may sign in, one file each.\r\nno line end");
    Unprivileged.own(clone);
    made.commit("The first page");
    return made;
  }

  /** Somebody else writes a file and pushes. */
  public void outside(String file, String content) throws IOException {
    git(work(), "pull", "-q", "--rebase");
    Path path = work().resolve(file);
    Files.createDirectories(path.getParent());
    Files.writeString(path, content);
    Unprivileged.own(work());
    commit("Somebody's change of " + file);
  }

  private void commit(String message) throws IOException {
    git(work(), "add", "-A");
    git(work(), "commit", "-q", "-m", message);
    git(work(), "push", "-q", "origin", "HEAD:main");
  }

  /** What a git command in the repository says. */
  public String say(String... command) throws IOException {
    return git(bare(), command);
  }

  /**
   * Lets a hook run, a shell script.
   *
   * @param name such as pre-receive or post-receive
   */
  public void hook(String name, String script) throws IOException {
    Path hook = bare().resolve("hooks").resolve(name);
    Files.writeString(
        hook,
        "#!/bin/sh\n" + script,
        StandardOpenOption.CREATE,
        StandardOpenOption.TRUNCATE_EXISTING);
    Files.setPosixFilePermissions(hook, PosixFilePermissions.fromString("rwxr-xr-x"));
    Unprivileged.own(bare());
  }

  /** The hook that applies what was pushed to accounts of the same server. */
  public void apply() throws IOException {
    hook(
        "post-receive",
        "for home in '"
            + server.directory()
            + "'/home/*; do\n"
            + "  login=${home##*/}\n"
            + "  git show \"main:keys/$login.pub\" > \"$home/.ssh/from-repository\" 2>/dev/null ||"
            + " :\n"
            + "  chmod 600 \"$home/.ssh/from-repository\"\n"
            + "done\n");
  }

  private Path bare() {
    return server.home(account).resolve(PATH);
  }

  private Path work() {
    return server.directory().resolve("clone-of-" + account);
  }

  private static String git(Path directory, String... command) throws IOException {
    List<String> whole = new ArrayList<>(List.of("git"));
    if (directory != null) {
      whole.addAll(List.of("-C", directory.toString()));
    }
    whole.addAll(
        List.of("-c", "user.name=Perpetua Quill", "-c", "user.email=perpetua@skerrymoor.example"));
    whole.addAll(List.of(command));
    ProcessBuilder builder = new ProcessBuilder(Unprivileged.command(whole));
    builder.environment().put("GIT_CONFIG_NOSYSTEM", "1");
    builder.environment().put("GIT_CONFIG_GLOBAL", "/dev/null");
    return Processes.said(builder);
  }
}
