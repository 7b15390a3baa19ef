package tolvin.core.diagnosis;

import java.time.Duration;
import java.time.Instant;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import tolvin.core.estate.SignInMode;
import tolvin.core.key.Fingerprint;
import tolvin.core.key.PublicKey;
import tolvin.core.server.ServerAbility;

/**
 * All that is known of one failed sign-in.
 *
 * @param wanted where it should have led, and with which key
 * @param outcome what the side that tried it saw
 * @param client what the holder's machine shows; empty if nobody looked there
 * @param server what the server shows; empty if Tolvin may not look there
 * @param account what the system says that keeps the account's keys, where that is no file on the
 *     server; empty where it is, and where only people can look
 * @param books what is on record
 * @param now the time of it, by the database's clock
 */
public record Circumstances(
    Wanted wanted,
    Outcome outcome,
    Optional<ClientSide> client,
    Optional<ServerSide> server,
    Optional<AccountSide> account,
    Books books,
    Instant now) {

  /**
   * Where a sign-in should lead.
   *
   * @param login as whom
   * @param host host name or address
   * @param port TCP port
   * @param hostKeys the pinned host keys
   * @param key the key that it should be made with; empty for any that is registered
   */
  public record Wanted(
      String login, String host, int port, List<Fingerprint> hostKeys, Optional<PublicKey> key) {}

  /** How far it came. */
  public enum Outcome {
    /** The server was not reached. */
    UNREACHABLE,
    /** The server showed a host key that is not pinned. */
    HOST_KEY,
    /** The sign-in was refused. */
    REFUSED,
    /** The key was accepted, as that of another account. */
    AS_ANOTHER,
    /** The key was accepted. */
    ACCEPTED
  }

  /**
   * What a holder's machine shows. No private byte is in it.
   *
   * @param lines what {@code ssh -v} printed
   * @param files the private files that the client would read, in its order
   * @param agent none, silent or answers
   * @param agentKeys the keys in the agent
   * @param algorithms the signature algorithms that the client allows; empty if not known
   */
  public record ClientSide(
      List<String> lines,
      List<ClientFile> files,
      String agent,
      List<Fingerprint> agentKeys,
      List<String> algorithms) {
    /** Copies what can be copied. */
    public ClientSide {
      lines = List.copyOf(lines);
      files = List.copyOf(files);
      agentKeys = List.copyOf(agentKeys);
      algorithms = List.copyOf(algorithms);
    }

    /** How far the sign-in came, by what the client printed. */
    public Outcome outcome() {
      return ClientLog.read(lines).outcome();
    }

    /** The keys that the client offered. */
    public Set<Fingerprint> keysOffered() {
      return ClientLog.read(lines).keysOffered();
    }

    /** Every key that what is seen names, by its fingerprint. */
    public Set<Fingerprint> keysNamed() {
      Set<Fingerprint> named = new HashSet<>(agentKeys);
      named.addAll(keysOffered());
      for (ClientFile file : files) {
        file.key().ifPresent(named::add);
        file.publicBeside().ifPresent(named::add);
      }
      return named;
    }
  }

  /**
   * A file that the client would sign in with.
   *
   * @param path where
   * @param kind private, public, other or missing
   * @param mode its permission bits
   * @param encrypted whether it has a passphrase
   * @param key the key inside it, as far as it can be seen without the passphrase
   * @param publicBeside the key in the .pub file beside it
   */
  public record ClientFile(
      String path,
      String kind,
      int mode,
      boolean encrypted,
      Optional<Fingerprint> key,
      Optional<Fingerprint> publicBeside) {}

  /**
   * What a server shows to Tolvin's own login there.
   *
   * @param log the log's lines about this sign-in; empty if there is no log to read
   * @param keysFiles the files that the account's keys are in, or the lines of them that another
   *     system keeps; empty if one of them could not be looked at
   */
  public record ServerSide(Optional<List<String>> log, List<KeysFile> keysFiles) {}

  /**
   * A file of keys and the path to it.
   *
   * @param path where
   * @param server what the server makes of it
   * @param content its bytes; empty if it is not there
   * @param steps the file and the directories above it, up to the home directory, nearest first
   * @param neighbours other files in its directory that could have been meant, with their bytes
   * @param crowded files with a key and more lines, where what reads them wants one key in a file
   *     and nothing else
   */
  public record KeysFile(
      String path,
      ServerAbility server,
      Optional<byte[]> content,
      List<PathStep> steps,
      Map<String, byte[]> neighbours,
      Map<String, byte[]> crowded) {

    /** Lines for an OpenSSH server that are kept elsewhere than on it. */
    public static KeysFile lines(String where, byte[] content) {
      return new KeysFile(
          where, ServerAbility.OPENSSH, Optional.of(content), List.of(), Map.of(), Map.of());
    }
  }

  /**
   * A file or directory on the way.
   *
   * @param path where
   * @param directory whether it is one
   * @param mode its permission bits
   * @param owner its owner's number
   * @param ownGroup whether its group has nobody but its owner, on a server that lets such a group
   *     write
   */
  public record PathStep(String path, boolean directory, int mode, long owner, boolean ownGroup) {
    /** Of a group that may not write. */
    public PathStep(String path, boolean directory, int mode, long owner) {
      this(path, directory, mode, owner, false);
    }

    /** Whether group or others may write there so that the server minds. */
    public boolean isOpen() {
      return (mode & (ownGroup ? 002 : 022)) != 0;
    }
  }

  /**
   * What is on record.
   *
   * @param placedAt when Tolvin placed the key on the account; empty if it did not
   * @param handedOverAt since when somebody else has been asked to register the key, and has not
   *     been seen to have done it; empty if nobody was asked
   * @param propagation how long the destination takes to copy a key everywhere
   * @param signInMode what the account asks for
   * @param otherAccounts other accounts that have the key
   * @param names what keys are called, for sentences
   */
  public record Books(
      Optional<Instant> placedAt,
      Optional<Instant> handedOverAt,
      Duration propagation,
      SignInMode signInMode,
      List<String> otherAccounts,
      Map<Fingerprint, String> names) {
    /** Nothing on record. */
    public static final Books NONE =
        new Books(
            Optional.empty(), Optional.empty(), Duration.ZERO, SignInMode.KEY, List.of(), Map.of());
  }
}
