package tolvin.core.port;

import java.time.Instant;
import java.util.Map;
import java.util.Optional;
import tolvin.core.diagnosis.Circumstances.KeysFile;
import tolvin.core.form.Form;
import tolvin.core.pair.Signer;
import tolvin.core.port.HealthPort.Health;
import tolvin.core.port.TrialPort.Attempt;
import tolvin.core.port.TrialPort.Who;
import tolvin.core.sweep.Seen;

/**
 * A family of destinations: what one asks for when it is attached, where its accounts keep their
 * keys, how these are read and changed, how its accounts sign in, and how it is looked after.
 *
 * <p>A family is one folder and its registration. Tolvin's own are registered in its connectors; a
 * family in a jar of its own is named in {@code
 * META-INF/services/tolvin.core.port.DestinationFamily}. One with a form is attached like Tolvin's
 * own; one without is attached by a sheet with {@code speaks: connector}, which then says what is
 * asked and what its accounts can hold, and every place that it is given is a {@link
 * Place.OnSystem}. Either passes the contract for accounts.
 */
public interface DestinationFamily {
  /** The name that sheets call it by, or another one that nobody else has. */
  String name();

  /** What is asked when one is attached; empty if a sheet says that. */
  default Optional<FamilyForm> form() {
    return Optional.empty();
  }

  /**
   * Looks at what a person gave, before anything is kept.
   *
   * @param asked what they gave; nothing can be reached through it yet
   * @return the settings as they are to be kept
   * @throws WrongSettingException if it cannot be attached so
   */
  default Map<String, String> check(Attached asked) throws WrongSettingException {
    return asked.settings();
  }

  /** The form that it takes a key in, by its settings. */
  default Form takes(Map<String, String> settings) {
    return Form.AUTHORIZED_KEYS;
  }

  /**
   * Where an account keeps its keys.
   *
   * @param kind the kind of account, where there are several; empty otherwise
   */
  default Place account(Attached at, String kind, String login) {
    throw new UnsupportedOperationException(name() + " is attached by a sheet");
  }

  /** Its accounts. */
  AccountPort accounts();

  /**
   * Reads all that can be seen of an account, and changes nothing.
   *
   * @throws PortException if it could not be read
   */
  default Seen survey(Place where, Instant now) throws PortException {
    return Seen.entries(now, accounts().read(where));
  }

  /**
   * The lines of an account's keys as they stand there, for finding out what became of one; for
   * families that keep keys as lines of {@code authorized_keys} somewhere else than in a file on
   * the server.
   *
   * @return empty in other families
   * @throws PortException if they could not be read
   */
  default Optional<KeysFile> keysFile(Place where) throws PortException {
    return Optional.empty();
  }

  /**
   * How somebody signs in to an account with a key, where that is not plain SSH.
   *
   * @param reference the destination's own reference of the placement; may be empty
   * @return empty if they sign in over SSH with the account's login
   * @throws PortException if nobody can
   */
  default Optional<Attempt> attempt(
      Attached at, String kind, String login, String reference, Signer signer)
      throws PortException {
    return Optional.empty();
  }

  /** The login that all its accounts sign in with over SSH; empty if each has its own. */
  default Optional<String> sharedLogin(Attached at) {
    return Optional.empty();
  }

  /**
   * As whom somebody signs in to an account over SSH; empty if nobody does.
   *
   * @param reference the destination's own reference of the placement; may be empty
   */
  default Optional<String> sshLogin(Attached at, String kind, String login, String reference) {
    return Optional.of(sharedLogin(at).orElse(login));
  }

  /**
   * How somebody who was let in over SSH asks as which account, where several sign in with one and
   * the same login.
   *
   * @return empty if the login says it
   */
  default Optional<Who> who(Attached at, String kind, String login) {
    return Optional.empty();
  }

  /**
   * Looks whether it can be worked with, besides its host keys.
   *
   * @return what was found; empty if there is nothing to look at
   * @throws PortException if it cannot be reached, or does not let Tolvin in
   */
  default Optional<Health> look(Attached at) throws PortException {
    return Optional.empty();
  }
}
