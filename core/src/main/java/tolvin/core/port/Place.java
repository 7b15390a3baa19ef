package tolvin.core.port;

import java.util.ArrayList;
import java.util.List;
import tolvin.core.estate.Family;
import tolvin.core.server.SaidOfServer;

/**
 * Where keys are registered, or private keys kept: what a connector needs to get there. A family
 * whose places are of another kind than these has its own.
 */
public interface Place {

  /** What it is called in sentences. */
  String name();

  /** The family of its destination. */
  Family family();

  /**
   * A file on an SSH server, or several of an account's keys.
   *
   * @param login how Tolvin signs in there: the account's own login or a management login
   * @param path the file; of several, the one that keys are placed in
   * @param further the other files in which the server looks for the account's keys; keys are taken
   *     out of them and never placed there
   * @param said what somebody said of the server, for files of keys
   */
  record OverSsh(Login login, String path, List<String> further, SaidOfServer said)
      implements Place {
    /** Copies what can be copied. */
    public OverSsh {
      further = List.copyOf(further);
    }

    /** One file on a server of which nothing was said. */
    public OverSsh(Login login, String path) {
      this(login, path, List.of(), SaidOfServer.NOTHING);
    }

    /** All of its files, the first first. */
    public List<String> all() {
      List<String> all = new ArrayList<>(List.of(path));
      all.addAll(further);
      return all;
    }

    @Override
    public String name() {
      return path + " on " + login.server().name();
    }

    @Override
    public Family family() {
      return Family.SFTP_SERVER;
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

    @Override
    public Family family() {
      return connection.sheet().family();
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

    @Override
    public Family family() {
      return Family.PARTNER;
    }
  }
}
