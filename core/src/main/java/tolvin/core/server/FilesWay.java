package tolvin.core.server;

/** How Tolvin reads and replaces files on a server. */
public enum FilesWay {
  /** Over SFTP (draft-ietf-secsh-filexfer-02). */
  SFTP,
  /** By commands of a login that has a shell, where there is no SFTP. */
  COMMANDS,
  /** By the script {@code tolvin-files}, which the server runs whatever the login asks for. */
  SCRIPT
}
