package tolvin.core.port;

/** Where keys are registered, or private keys kept: what a connector needs to get there. */
public sealed interface Place
    permits Place.OverSsh, Place.OnSystem, Place.InRepository, Place.InDirectory, Place.ByHand {

  /** What it is called in sentences. */
  String name();

  /**
   * A file on an SSH server.
   *
   * @param login how Tolvin signs in there: the account's own login or a management login
   * @param path the file
   */
  record OverSsh(Login login, String path) implements Place {
    @Override
    public String name() {
      return path + " on " + login.server().name();
    }
  }

  /**
   * An account or a seat of a system that a sheet describes.
   *
   * @param connection how the system is reached
   * @param kind the kind of account or seat, as the sheet calls it
   * @param login the account's login, or the seat's name
   * @param job for a seat: the job that signs in with it; may be empty
   */
  record OnSystem(Connection connection, String kind, String login, String job) implements Place {
    @Override
    public String name() {
      return login + " on " + connection.name();
    }
  }

  /**
   * An account whose keys are files in a git repository.
   *
   * @param repository the repository
   * @param login the account's login
   */
  record InRepository(KeyRepository repository, String login) implements Place {
    @Override
    public String name() {
      return login + " in " + repository.name();
    }
  }

  /**
   * A person's entry in a directory.
   *
   * @param directory the directory
   * @param login the account's login, which the directory's filter finds the entry by
   */
  record InDirectory(DirectoryServer directory, String login) implements Place {
    @Override
    public String name() {
      return login + " in " + directory.name();
    }
  }

  /**
   * An account that only its own administrator can change, and nobody can read.
   *
   * @param destination the destination's name
   * @param login the account's login
   */
  record ByHand(String destination, String login) implements Place {
    @Override
    public String name() {
      return login + " on " + destination;
    }
  }
}
