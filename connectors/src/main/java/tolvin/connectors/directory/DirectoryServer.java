package tolvin.connectors.directory;

/**
 * A directory whose entries hold keys (LDAP, RFC 4511), reached over TLS only.
 *
 * @param name the destination's name, for sentences
 * @param host host name or address; the server's certificate has to be good for it
 * @param port TCP port
 * @param security how TLS comes about
 * @param trusted the certificates that the server's is checked with, as PEM
 * @param user the distinguished name that Tolvin binds as
 * @param secret with what
 * @param base the distinguished name that all entries lie below
 * @param filter what finds the entry of an account (RFC 4515); {@code {login}} stands for its login
 * @param attribute the attribute that holds the keys, one value each
 * @param objectClass the auxiliary object class that the attribute needs, which an entry is given
 *     with its first key; empty if entries have it already
 */
public record DirectoryServer(
    String name,
    String host,
    int port,
    Security security,
    String trusted,
    String user,
    String secret,
    String base,
    String filter,
    String attribute,
    String objectClass) {

  /** How TLS comes about. */
  public enum Security {
    /** From the first byte (ldaps). */
    LDAPS,
    /** By the extended operation of RFC 4511 section 4.14. */
    STARTTLS
  }

  /** Never shows the secret. */
  @Override
  public String toString() {
    return name + " at " + host + ":" + port;
  }
}
