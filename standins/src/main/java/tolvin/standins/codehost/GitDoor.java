package tolvin.standins.codehost;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.attribute.PosixFilePermissions;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import tolvin.standins.local.LocalSshServer;
import tolvin.standins.local.Unprivileged;

/**
 * Real git over a real OpenSSH server, with one login for everybody: who it is follows from the
 * key. Each accepted key has a forced command that knows the key's number, looks up what it may,
 * and runs git or says why not.
 */
final class GitDoor implements AutoCloseable {
  /** The login that everybody signs in as. */
  static final String LOGIN = "git";

  private static final String SCRIPT =
      """
      #!/bin/sh
      # door NUMBER: lets the holder of a key do what that key may
      set -u
      here=$(dirname "$0")
      read -r kind name access < "$here/rights/$1"
      echo "$1 $(date -u +%s)" >> "$here/uses"
      refuse() { echo "pierhead: $*" >&2; exit 1; }
      set -- ${SSH_ORIGINAL_COMMAND:-}
      if [ $# -eq 0 ]; then
        echo "Welcome, $name. You are signed in to Pierhead; there is no shell here." >&2
        exit 1
      fi
      [ $# -eq 2 ] || refuse "only git is served here"
      repository=$(printf %s "$2" | tr -d "'" | sed 's|^/||')
      case "$repository" in
        *..*|*[!A-Za-z0-9._/-]*) refuse "there is no such repository" ;;
      esac
      [ "$kind" = person ] || [ "$repository" = "$name.git" ] || [ "$repository" = "$name" ] \\
        || refuse "this key belongs to $name and opens nothing else"
      repository="$here/repositories/${repository%.git}.git"
      [ -d "$repository" ] || refuse "there is no such repository"
      case "$1" in
        git-upload-pack|git-upload-archive) exec "$1" "$repository" ;;
        git-receive-pack)
          [ "$access" = write ] || refuse "this key may read $name but not write to it"
          exec git-receive-pack "$repository" ;;
        *) refuse "only git is served here" ;;
      esac
      """;

  private final LocalSshServer server;
  private final Path directory;

  GitDoor(Path directory, int port) throws IOException {
    this.server = LocalSshServer.at(directory, port).account(LOGIN);
    this.directory = server.directory();
    Path door = this.directory.resolve("door");
    Files.writeString(door, SCRIPT);
    Files.setPosixFilePermissions(door, PosixFilePermissions.fromString("rwxr-xr-x"));
    Files.createDirectories(this.directory.resolve("rights"));
    Files.createDirectories(this.directory.resolve("repositories"));
    if (!Files.exists(this.directory.resolve("uses"))) {
      Files.writeString(this.directory.resolve("uses"), "");
    }
    Unprivileged.own(this.directory);
  }

  LocalSshServer server() {
    return server;
  }

  /** Makes an empty repository, if it is not there yet. */
  void repository(String name) throws IOException {
    Path path = directory.resolve("repositories").resolve(name + ".git");
    if (Files.exists(path)) {
      return;
    }
    Files.createDirectories(path.getParent());
    Process git =
        new ProcessBuilder("git", "init", "-q", "--bare", "-b", "main", path.toString())
            .redirectErrorStream(true)
            .start();
    String output = new String(git.getInputStream().readAllBytes());
    try {
      if (git.waitFor() != 0) {
        throw new IOException("git init: " + output);
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IOException("interrupted", e);
    }
    Unprivileged.own(directory);
  }

  /** Lets in exactly these keys. */
  void letIn(List<HostedKey> keys) throws IOException {
    List<String> lines = new ArrayList<>();
    for (HostedKey key : keys) {
      String[] holder = key.holder.split(":", 2);
      Path rights = directory.resolve("rights/" + key.number);
      write(rights, holder[0] + " " + holder[1] + " " + key.access + "\n");
      lines.add(
          "command=\"" + directory.resolve("door") + " " + key.number + "\",restrict " + key.line);
    }
    write(server.authorizedKeys(LOGIN), String.join("\n", lines) + "\n");
  }

  private static void write(Path file, String text) throws IOException {
    if (Files.exists(file) && Files.readString(file).equals(text)) {
      return;
    }
    Path beside = file.resolveSibling(file.getFileName() + ".new");
    Files.writeString(beside, text);
    Files.setPosixFilePermissions(beside, PosixFilePermissions.fromString("rw-------"));
    Unprivileged.own(beside);
    Files.move(beside, file, StandardCopyOption.REPLACE_EXISTING, StandardCopyOption.ATOMIC_MOVE);
  }

  /** When each key was last used, by its number. */
  Map<Integer, Instant> uses() throws IOException {
    Map<Integer, Instant> uses = new HashMap<>();
    for (String line : Files.readAllLines(directory.resolve("uses"))) {
      String[] words = line.split(" ");
      if (words.length == 2) {
        uses.put(Integer.parseInt(words[0]), Instant.ofEpochSecond(Long.parseLong(words[1])));
      }
    }
    return uses;
  }

  @Override
  public void close() {
    server.close();
  }
}
