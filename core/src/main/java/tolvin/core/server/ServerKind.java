package tolvin.core.server;

import java.util.regex.Pattern;

/**
 * Kinds of SSH servers that keep accounts' keys in files, recognised by what they call themselves.
 */
public enum ServerKind {
  /** OpenSSH's server. */
  OPENSSH("OpenSSH", "SSH-2\\.0-OpenSSH_.*", KeysFormat.LINES),
  /** Dropbear's server, which knows a part of OpenSSH's options. */
  DROPBEAR("Dropbear", "SSH-2\\.0-dropbear(_.*)?", KeysFormat.LINES),
  /** ProFTPD with its module for SFTP, which takes blocks of RFC 4716. */
  PROFTPD("ProFTPD", "SSH-2\\.0-mod_sftp.*", KeysFormat.BLOCKS),
  /** Another one, of which nobody knows what it makes of options. */
  OTHER("an SSH server of another kind", ".*", KeysFormat.LINES);

  private final String title;
  private final Pattern identification;
  private final KeysFormat format;

  ServerKind(String title, String identification, KeysFormat format) {
    this.title = title;
    this.identification = Pattern.compile(identification, Pattern.DOTALL);
    this.format = format;
  }

  /** What it is called in a sentence. */
  public String title() {
    return title;
  }

  /** How keys stand in its files, unless somebody says otherwise. */
  public KeysFormat format() {
    return format;
  }

  /**
   * The kind of a server.
   *
   * @param identification the line with which it begins a connection (RFC 4253 section 4.2),
   *     without its end
   */
  public static ServerKind of(String identification) {
    for (ServerKind kind : values()) {
      if (kind.identification.matcher(identification).matches()) {
        return kind;
      }
    }
    return OTHER;
  }
}
