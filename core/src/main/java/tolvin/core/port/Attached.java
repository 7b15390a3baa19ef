package tolvin.core.port;

import java.util.List;
import java.util.Map;
import java.util.Optional;
import tolvin.core.key.PublicKey;
import tolvin.core.sheet.SystemSheet;

/** A destination that is attached, or about to be, as its family sees it. */
public interface Attached {
  /** Its name, for sentences. */
  String name();

  /** Host name or address; empty if it has none. */
  String host();

  /** TCP port; 0 if it has none. */
  int port();

  /** The base of all requests, or the database's URL; empty for families of Tolvin's own. */
  String address();

  /** The sheet that describes it; empty for families of Tolvin's own. */
  Optional<SystemSheet> sheet();

  /** What its administrator was asked for, by name. */
  Map<String, String> settings();

  /** As whom Tolvin connects; may be empty. */
  String user();

  /** The secret that Tolvin connects with, taken out of the coffer; empty if there is none. */
  String secret();

  /** The login that may write every account's keys; empty if each account writes its own. */
  Optional<String> managementLogin();

  /** Where the keys of a login are, with {@code {login}} in it; empty where they are in no file. */
  String keysPath();

  /** The host keys that are accepted now. */
  List<PublicKey> hostKeys();

  /** How Tolvin signs in there over SSH with the key that it made for the destination. */
  Login login(String user);
}
