package tolvin.connectors.directory;

import tolvin.core.estate.Family;
import tolvin.core.port.Place;

/**
 * A person's entry in a directory.
 *
 * @param directory the directory
 * @param login the account's login, which the directory's filter finds the entry by
 */
public record InDirectory(DirectoryServer directory, String login) implements Place {
  @Override
  public String name() {
    return login + " in " + directory.name();
  }

  @Override
  public Family family() {
    return Family.DIRECTORY;
  }
}
