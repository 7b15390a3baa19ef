package tolvin.core.port;

import java.time.Duration;
import java.util.Optional;
import tolvin.core.diagnosis.Circumstances.Outcome;
import tolvin.core.signin.Assertion;

/** Tries to sign in, on a connection of its own, in the way that the account is used. */
public interface TrialPort {

  /** The ways. */
  enum Way {
    /** An SSH sign-in without asking for a shell: being let in is success, having one is not. */
    SSH,
    /** SFTP: a directory is listed. */
    SFTP,
    /** Git over SSH: what a repository offers is read. */
    GIT,
    /** An assertion signed with the key (RFC 7523), given for an access token. */
    ASSERTION
  }

  /**
   * A question that a server answers with the account which somebody signed in as.
   *
   * @param command what it is asked
   * @param says what its answer contains if it is the right one
   */
  record Who(String command, String says) {}

  /**
   * What is tried.
   *
   * @param way how
   * @param login where, as whom, with what
   * @param target the directory, the repository's path, or the token endpoint's URL; empty for SSH
   * @param password the account's password, for accounts that want both; the caller overwrites it
   * @param assertion what an assertion says; empty for the account itself and the target
   * @param who what is asked over SSH to find out which account it is; empty if the login says it
   */
  record Attempt(
      Way way,
      Login login,
      String target,
      Optional<char[]> password,
      Optional<Assertion> assertion,
      Optional<Who> who) {

    /** Without a question. */
    public Attempt(
        Way way,
        Login login,
        String target,
        Optional<char[]> password,
        Optional<Assertion> assertion) {
      this(way, login, target, password, assertion, Optional.empty());
    }

    /** Without an assertion. */
    public Attempt(Way way, Login login, String target, Optional<char[]> password) {
      this(way, login, target, password, Optional.empty());
    }

    /** The same, asking which account it is. */
    public Attempt asking(Optional<Who> question) {
      return new Attempt(way, login, target, password, assertion, question);
    }

    /** A plain SSH sign-in. */
    public static Attempt ssh(Login login) {
      return new Attempt(Way.SSH, login, "", Optional.empty());
    }
  }

  /**
   * The result of a trial.
   *
   * @param accepted whether the sign-in succeeded, as the right account
   * @param answer what the server said, in words
   * @param localPort the client's port, by which the server's log tells this trial from others; -1
   *     if no connection came about
   * @param clockAhead how far the server's clock is ahead of ours, if it tells its time
   * @param connection both ends and what the server calls itself, for people; may be empty
   * @param asAnother whether the key was let in, but as another account
   */
  record Trial(
      boolean accepted,
      String answer,
      int localPort,
      Optional<Duration> clockAhead,
      String connection,
      boolean asAnother) {

    /** Of a server that tells its time. */
    public Trial(
        boolean accepted,
        String answer,
        int localPort,
        Optional<Duration> clockAhead,
        String connection) {
      this(accepted, answer, localPort, clockAhead, connection, false);
    }

    /** Of a server that does not tell its time. */
    public Trial(boolean accepted, String answer, int localPort) {
      this(accepted, answer, localPort, Optional.empty(), "");
    }

    /** Of a key that was let in as another account. */
    public static Trial asAnother(String answer, int localPort) {
      return new Trial(false, answer, localPort, Optional.empty(), "", true);
    }

    /** The same, over a connection that is described. */
    public Trial over(String description) {
      return new Trial(accepted, answer, localPort, clockAhead, description, asAnother);
    }

    /** How far it came. */
    public Outcome outcome() {
      return accepted ? Outcome.ACCEPTED : asAnother ? Outcome.AS_ANOTHER : Outcome.REFUSED;
    }
  }

  /**
   * Signs in and leaves again.
   *
   * @throws PortException if the trial could not be made at all, such as for a changed host key
   */
  Trial attempt(Attempt attempt) throws PortException;

  /** Signs in over SSH and leaves again. */
  default Trial signIn(Login login) throws PortException {
    return attempt(Attempt.ssh(login));
  }
}
