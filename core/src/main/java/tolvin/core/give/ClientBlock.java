package tolvin.core.give;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;

/**
 * A block of an SSH client's configuration (ssh_config(5)) that offers one key to one account.
 *
 * @param alias the name to type
 * @param host the server's name or address
 * @param port where it listens
 * @param user the login, or the reference that the destination gave in its stead
 * @param keyFile where the private key lies on the holder's machine
 * @param hostKeyAlias the name under which the host key stands in known_hosts, if another than the
 *     host's
 * @param knownHosts the file that pins the host key, if another than the usual one
 * @param former where the former private key lies after a rotation, if one may lie there: OpenSSH
 *     reads a private file twice in a sign-in, and goes on with this one when the file was
 *     exchanged in between
 */
public record ClientBlock(
    String alias,
    String host,
    int port,
    String user,
    String keyFile,
    Optional<String> hostKeyAlias,
    Optional<String> knownHosts,
    Optional<String> former) {

  /** The block, ended by a line end. */
  public String text() {
    List<String> lines = new ArrayList<>();
    lines.add("Host " + word(alias));
    lines.add("    HostName " + word(host));
    lines.add("    Port " + port);
    lines.add("    User " + word(user));
    lines.add("    IdentityFile " + word(keyFile));
    former.ifPresent(file -> lines.add("    IdentityFile " + word(file)));
    lines.add("    IdentitiesOnly yes");
    lines.add("    StrictHostKeyChecking yes");
    hostKeyAlias.ifPresent(name -> lines.add("    HostKeyAlias " + word(name)));
    knownHosts.ifPresent(file -> lines.add("    UserKnownHostsFile " + word(file)));
    return String.join("\n", lines) + '\n';
  }

  /** A value as one word: quoted if it holds blanks; a quote or a backslash is escaped. */
  private static String word(String value) {
    boolean plain = value.matches("[A-Za-z0-9_.:/~@%+,=\\[\\]{}-]+");
    return plain ? value : '"' + value.replace("\\", "\\\\").replace("\"", "\\\"") + '"';
  }

  /** An operating system, with what its users have to mind. */
  public enum OperatingSystem {
    LINUX(
        "Linux",
        "~/.ssh/config",
        List.of(
            "The directory ~/.ssh must be mode 700 and the private file mode 600, both yours:"
                + " chmod 700 ~/.ssh; chmod 600 KEYFILE",
            "The public file has the same name with .pub behind it.",
            "Test it with: ssh -v ALIAS")),
    MACOS(
        "macOS",
        "~/.ssh/config",
        List.of(
            "The directory ~/.ssh must be mode 700 and the private file mode 600:"
                + " chmod 700 ~/.ssh; chmod 600 KEYFILE",
            "Editors may save the file as config.txt or in rich text; it must be plain text named"
                + " config.",
            "Test it with: ssh -v ALIAS")),
    WINDOWS(
        "Windows",
        "%USERPROFILE%\\.ssh\\config",
        List.of(
            "Only you, SYSTEM and Administrators may read the private file: icacls KEYFILE"
                + " /inheritance:r /grant:r \"%USERNAME%:F\"",
            "Save as UTF-8 without a byte-order mark; editors like to add .txt to config and to"
                + " .pub, so switch on the display of file name extensions.",
            "Test it with: ssh -v ALIAS"));

    private final String label;
    private final String file;
    private final List<String> mind;

    OperatingSystem(String label, String file, List<String> mind) {
      this.label = label;
      this.file = file;
      this.mind = mind;
    }

    /** The system's name for people. */
    public String label() {
      return label;
    }

    /** The file that the block belongs into. */
    public String file() {
      return file;
    }

    /** What to mind about file modes and names. */
    public List<String> mind(ClientBlock block) {
      return mind.stream()
          .map(s -> s.replace("KEYFILE", block.keyFile()).replace("ALIAS", block.alias()))
          .toList();
    }
  }
}
