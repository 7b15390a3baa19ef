package tolvin.connectors.diagnosis;

import java.io.IOException;
import java.util.List;
import java.util.Optional;
import tolvin.core.diagnosis.AccountSide;
import tolvin.core.diagnosis.CauseKind;
import tolvin.core.diagnosis.Circumstances.ServerSide;
import tolvin.core.key.PublicKey;
import tolvin.core.port.PortException;

/** A real system on which scenes have their accounts, and the mistakes that people make there. */
interface Ground extends AutoCloseable {
  /** What a sentence about it begins with. */
  String name();

  /** The port that accounts sign in at, on loopback. */
  int port();

  /** The host key shown there. */
  PublicKey hostKey();

  /** As whom an account signs in. */
  default String user(String account) {
    return account;
  }

  /** Makes an account with the scene's key as the scene wants it. */
  void build(Scene scene, String account) throws IOException;

  /** Where the log of sign-ins ends; 0 without one. */
  default long logEnd(Scene scene, String account) throws PortException {
    return 0;
  }

  /** What Tolvin sees of the server after a sign-in that was refused. */
  default Optional<ServerSide> server(Scene scene, String account, long logFrom)
      throws PortException {
    return Optional.empty();
  }

  /** What Tolvin hears of the system that keeps the account's keys. */
  default Optional<AccountSide> account(Scene scene, String account) {
    return Optional.empty();
  }

  /** Whether Tolvin sees the holder's machine. */
  default boolean showsClient() {
    return true;
  }

  /** What goes wrong there and nowhere else. */
  List<Mistake> own();

  /** What goes wrong with a client's machine wherever it signs in, as far as it can there. */
  default List<Mistake> usual() {
    List<Mistake> usual = Mistake.ofClients();
    usual.removeIf(m -> m.expected() == CauseKind.PIN_WANTED); // no server here asks for it
    return usual;
  }

  /** All of it. */
  default List<Mistake> mistakes() {
    List<Mistake> all = own();
    all.addAll(usual());
    return all;
  }

  @Override
  void close();
}
