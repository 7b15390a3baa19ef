package tolvin.connectors.git;

import tolvin.core.estate.Family;
import tolvin.core.port.Place;

/**
 * An account whose keys are files in a git repository.
 *
 * @param repository the repository
 * @param login the account's login
 */
public record InRepository(KeyRepository repository, String login) implements Place {
  @Override
  public String name() {
    return login + " in " + repository.name();
  }

  @Override
  public Family family() {
    return Family.KEY_REPOSITORY;
  }
}
