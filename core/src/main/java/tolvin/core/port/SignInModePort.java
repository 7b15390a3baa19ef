package tolvin.core.port;

import java.util.Optional;
import tolvin.core.estate.SignInMode;

/** How an account may sign in: asked of the server, and changed where it lets us. */
public interface SignInModePort {
  /**
   * A server's file that says how one account signs in.
   *
   * @param login how Tolvin writes it
   * @param path the file, which the server's own configuration includes
   * @param reload what makes the server read it
   */
  record Where(Login login, String path, String reload) {}

  /**
   * Asks.
   *
   * @return password, key or either; empty if the server names no way
   * @throws PortException if the server could not be asked
   */
  Optional<SignInMode> ask(Server server, String account) throws PortException;

  /**
   * Changes it, and asks again; if the server does not then do as it was told, what was there
   * before is put back.
   *
   * @param mode what it is to ask for
   * @throws PortException if it was not changed
   */
  void change(Where where, Server server, String account, SignInMode mode, Lease lease)
      throws PortException;
}
