package tolvin.standins.local;

import java.io.IOException;
import java.nio.file.Path;
import tolvin.core.key.PublicKey;

/** A server of Debian's on loopback whose accounts keep the keys that they accept in files. */
public interface LocalKeysServer extends AutoCloseable {
  /** The port it listens on. */
  int port();

  /** The host key. */
  PublicKey hostKey();

  /** Adds an account, also while the server runs; an account that is there already is kept. */
  LocalKeysServer account(String name) throws IOException;

  /** An account's home directory. */
  Path home(String account);

  /** An account's file of accepted keys. */
  Path authorizedKeys(String account);

  /**
   * Adds a key to an account's file, as that server's administrator would.
   *
   * @param line as it stands in authorized_keys
   */
  void authorize(String account, String line) throws IOException;

  /** The log that sign-ins are written to. */
  Path log();

  @Override
  void close();
}
