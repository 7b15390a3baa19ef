package tolvin.core.sheet;

import java.util.List;
import java.util.Map;
import java.util.Optional;
import tolvin.core.estate.Family;
import tolvin.core.pair.PrivateForm;

/**
 * What a system can do and how to talk to it.
 *
 * @param system the system's name, for people
 * @param family the kind of system
 * @param about a sentence about it
 * @param speech how it is talked to
 * @param settings what an administrator says when attaching one, by name
 * @param connects how Tolvin itself gets in
 * @param accounts the kinds of accounts, by name; at least one, unless there are seats
 * @param seats the kinds of seats that it keeps private keys in, by name
 * @param health a cheap reading that needs the connection secret
 * @param meanings what its answers mean, for every operation; the first that fits counts
 * @param connector the name of a connector that does what a sheet cannot say
 */
public record SystemSheet(
    String system,
    Family family,
    String about,
    Speech speech,
    Map<String, Setting> settings,
    Connects connects,
    Map<String, AccountKind> accounts,
    Map<String, SeatKind> seats,
    Optional<Operation> health,
    List<Meaning> meanings,
    Optional<String> connector) {

  /** How a system is talked to. */
  public enum Speech {
    /** Requests over HTTP (RFC 9110) with JSON (RFC 8259). */
    HTTP,
    /** Statements over JDBC. */
    SQL,
    /** By a connector of its own. */
    CONNECTOR
  }

  /**
   * Something that differs from installation to installation.
   *
   * @param about what it is
   * @param usual its value if nothing is said; empty if it has to be said
   */
  public record Setting(String about, Optional<String> usual) {}

  /**
   * How Tolvin itself gets in.
   *
   * @param with the way
   * @param header the header that carries the secret, for {@link With#TOKEN}
   * @param value what stands in it, with {@code {secret}}
   * @param tokens the token endpoint's path, for {@link With#OAUTH2}
   * @param scope the scope asked for there; may be empty
   */
  public record Connects(With with, String header, Template value, Template tokens, String scope) {
    /** The ways. */
    public enum With {
      /** Nothing. */
      NOTHING,
      /** A secret in a header. */
      TOKEN,
      /** User and password (RFC 7617, or a database's own). */
      BASIC,
      /** A client certificate with its private key, as PEM. */
      CERTIFICATE,
      /** Client credentials (RFC 6749 section 4.4). */
      OAUTH2
    }
  }

  /**
   * A kind of account.
   *
   * @param ability what it can hold
   * @param words Tolvin's words in the system's language: subject, then word, then value
   * @param list reads what is registered
   * @param place registers a key
   * @param withdraw takes one off
   * @param state reads how the account signs in, if the system tells
   * @param trial how somebody signs in to it; empty if nobody can try
   */
  public record AccountKind(
      Ability ability,
      Map<String, Map<String, Object>> words,
      Optional<Operation> list,
      Optional<Operation> place,
      Optional<Operation> withdraw,
      Optional<Operation> state,
      Optional<TrialWay> trial) {

    /** A word in the system's language; itself if nothing is said. */
    public Object word(String subject, String word) {
      return words.getOrDefault(subject, Map.of()).getOrDefault(word, word);
    }

    /** A value of the system's in Tolvin's words; itself if nothing is said. */
    public String meant(String subject, String value) {
      return words.getOrDefault(subject, Map.of()).entrySet().stream()
          .filter(entry -> String.valueOf(entry.getValue()).equals(value))
          .map(Map.Entry::getKey)
          .findFirst()
          .orElse(value);
    }
  }

  /**
   * How somebody signs in to an account.
   *
   * @param way ssh, sftp, git or assertion
   * @param login the login name
   * @param host the SSH server's host and port, as {@code host:port}; empty for an assertion
   * @param target the directory, the repository or the token endpoint's address
   * @param issuer the assertion's issuer
   * @param subject the assertion's subject
   * @param audience the assertion's audience
   * @param keyName how the assertion names the key
   * @param unhelpful the sentence that the system answers every failure with; may be empty
   */
  public record TrialWay(
      String way,
      Template login,
      Template host,
      Template target,
      Template issuer,
      Template subject,
      Template audience,
      Template keyName,
      String unhelpful) {}

  /**
   * A kind of seat, such as a credential store's entry.
   *
   * @param form the form that it takes private files in
   * @param keepsFormer whether the private key before the last is kept beside
   * @param read reads which keys it holds
   * @param supply puts a private key in
   * @param restore makes the former one the one in use again; absent without keepsFormer
   * @param clear forgets the former one; absent without keepsFormer
   * @param trial has the integration sign in, and reads how it went
   */
  public record SeatKind(
      PrivateForm form,
      boolean keepsFormer,
      Operation read,
      Operation supply,
      Optional<Operation> restore,
      Optional<Operation> clear,
      Optional<SeatTrial> trial) {}

  /**
   * A trial by the seat itself.
   *
   * @param run starts it and waits for its end
   * @param captured the capture that says how it ended
   * @param good what it is when it went well
   * @param log the capture that holds its log; empty for the last answer
   */
  public record SeatTrial(Operation run, String captured, List<String> good, String log) {}
}
