package tolvin.connectors.git;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.concurrent.ConcurrentHashMap;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.apache.sshd.client.session.ClientSession;
import org.eclipse.jgit.errors.TransportException;
import org.eclipse.jgit.lib.Constants;
import org.eclipse.jgit.lib.NullProgressMonitor;
import org.eclipse.jgit.lib.ObjectId;
import org.eclipse.jgit.lib.Repository;
import org.eclipse.jgit.storage.file.FileRepositoryBuilder;
import org.eclipse.jgit.transport.PushResult;
import org.eclipse.jgit.transport.RefSpec;
import org.eclipse.jgit.transport.RemoteRefUpdate;
import org.eclipse.jgit.transport.SshTransport;
import org.eclipse.jgit.transport.Transport;
import org.eclipse.jgit.transport.URIish;
import tolvin.connectors.shared.KeyLines;
import tolvin.connectors.shared.TimedLock;
import tolvin.connectors.ssh.LostBeforeEffect;
import tolvin.connectors.ssh.SshConnections;
import tolvin.core.authorized.AuthorizedKeys;
import tolvin.core.diagnosis.Circumstances.KeysFile;
import tolvin.core.estate.Registered;
import tolvin.core.key.PlainText;
import tolvin.core.port.AccountPort;
import tolvin.core.port.Lease;
import tolvin.core.port.Place;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.server.KeysFormat;
import tolvin.core.server.ServerAbility;
import tolvin.core.server.ServerKind;
import tolvin.core.sweep.IgnoredLines;
import tolvin.core.sweep.Seen;

/**
 * Accounts whose keys are files in a git repository. Each change is one commit on top of what the
 * branch has now; when somebody pushed in between, it is made anew on top of theirs. Every other
 * file, and every other line, stays byte for byte.
 *
 * <p>That a push succeeded says that the repository has the change, not that whoever reads it has
 * applied it: only a trial proves that.
 */
public final class RepositoryAccounts implements AccountPort, AutoCloseable {
  /** How long talking to a repository may take: fetching, merging, pushing, its hooks. */
  private static final Duration PATIENCE = Duration.ofSeconds(60);

  private static final int MOST_MERGES = 8;
  private static final int LONGEST = 600;

  /** How git's hooks and hosting layers begin a line of bad news. */
  private static final Pattern FAILED = Pattern.compile("(?i)(fatal|error)\\b");

  private static final Pattern WARNED = Pattern.compile("(?i)warning\\b");

  /** What lets in by bare keys: no option is known to it. */
  private static final ServerAbility BARE =
      new ServerAbility(ServerKind.OPENSSH, KeysFormat.LINES, Optional.of(Set.of()));

  private static final String REMOTE = "refs/remotes/theirs/";

  private final SshConnections connections;
  private final Clock clock;
  private final Map<String, Copy> copies = new ConcurrentHashMap<>();
  private final Map<String, String> said = new ConcurrentHashMap<>();

  /** Works over these connections; commits are dated by the clock. */
  public RepositoryAccounts(SshConnections connections, Clock clock) {
    this.connections = connections;
    this.clock = clock;
  }

  /** A copy of a repository, kept so that only what is new has to be fetched. */
  private static final class Copy {
    private final TimedLock lock = new TimedLock();
    private Path directory;
    private Repository repository;

    Repository open() throws IOException {
      if (repository == null || !Files.isDirectory(directory)) {
        directory = Files.createTempDirectory("tolvin-repository");
        repository = new FileRepositoryBuilder().setGitDir(directory.toFile()).setBare().build();
        repository.create(true);
      }
      return repository;
    }

    void close() {
      if (repository == null) {
        return;
      }
      repository.close();
      try (Stream<Path> all = Files.walk(directory)) {
        for (Path path : all.sorted(Comparator.reverseOrder()).toList()) {
          Files.delete(path);
        }
      } catch (IOException leftBehind) {
        // a temporary directory that the system clears
      }
      repository = null;
    }
  }

  /** Work on a fresh copy. */
  @FunctionalInterface
  private interface Work<T> {
    T with(Repository copy, ClientSession session) throws PortException, IOException;
  }

  @Override
  public List<Registered> read(Place where) throws PortException {
    InRepository at = (InRepository) where;
    return on(
        at.repository(),
        (copy, session) -> {
          fetch(copy, session, at.repository());
          return registered(files(copy, at));
        });
  }

  /**
   * All that can be seen of an account.
   *
   * @throws PortException if it could not be read
   */
  public Seen survey(InRepository at, Instant now) throws PortException {
    return on(
        at.repository(),
        (copy, session) -> {
          fetch(copy, session, at.repository());
          Map<String, byte[]> files = files(copy, at);
          return Seen.entries(
              now,
              registered(files),
              files.values().stream()
                  .flatMap(content -> IgnoredLines.of(AuthorizedKeys.of(content)).stream())
                  .toList());
        });
  }

  /**
   * An account's files as lines, and those of other names that could have been meant for it.
   *
   * @throws PortException if they could not be read
   */
  KeysFile keysFile(InRepository at) throws PortException {
    return on(
        at.repository(),
        (copy, session) -> {
          fetch(copy, session, at.repository());
          Map<String, byte[]> files = files(copy, at);
          Map<String, byte[]> meant = meant(copy, at);
          meant.keySet().removeAll(files.keySet());
          Map<String, byte[]> crowded = new TreeMap<>();
          if (at.repository().takesOneKeyEach()) {
            files.forEach(
                (name, content) -> {
                  boolean several = KeyLines.text(content).strip().contains("\n");
                  if (several && !KeyLines.registered(AuthorizedKeys.of(content)).isEmpty()) {
                    crowded.put(name, content);
                  }
                });
            files.keySet().removeAll(crowded.keySet());
          }
          return new KeysFile(
              files.isEmpty()
                  ? at.repository().files().replace(KeyRepository.LOGIN, at.login())
                  : String.join(", ", files.keySet()),
              at.repository().takesOneKeyEach() ? BARE : ServerAbility.OPENSSH,
              files.isEmpty()
                  ? Optional.empty()
                  : Optional.of(whole(files).getBytes(StandardCharsets.ISO_8859_1)),
              List.of(),
              meant,
              crowded);
        });
  }

  @Override
  public List<Registered> place(Place where, Entry entry, Lease lease) throws PortException {
    InRepository at = (InRepository) where;
    return change(at, files -> placed(files, at, entry), "Place " + entry.title(), entry, lease);
  }

  @Override
  public List<Registered> withdraw(Place where, Entry entry, Lease lease) throws PortException {
    InRepository at = (InRepository) where;
    return change(at, files -> withdrawn(files, entry), "Withdraw " + entry.title(), entry, lease);
  }

  @Override
  public List<Registered> replace(Place where, List<String> found, Entry entry, Lease lease)
      throws PortException {
    InRepository at = (InRepository) where;
    return change(
        at, files -> replaced(files, found, at, entry), "Restore " + entry.title(), entry, lease);
  }

  @Override
  public Change rehearse(Place where, Optional<Entry> add, Optional<Entry> remove)
      throws PortException {
    InRepository at = (InRepository) where;
    return on(
        at.repository(),
        (copy, session) -> {
          fetch(copy, session, at.repository());
          Map<String, byte[]> before = files(copy, at);
          Map<String, byte[]> after = new TreeMap<>(before);
          if (remove.isPresent()) {
            after = withdrawn(after, remove.get());
          }
          if (add.isPresent()) {
            after = placed(after, at, add.get());
          }
          return new Change(
              at.repository().files().replace(KeyRepository.LOGIN, at.login()),
              whole(before),
              whole(after));
        });
  }

  private static String whole(Map<String, byte[]> files) {
    return files.values().stream().map(KeyLines::text).collect(Collectors.joining());
  }

  @Override
  public String said(Place where) {
    return said.getOrDefault(where.name(), "");
  }

  /** A change of an account's files; no content is a file that is gone. */
  @FunctionalInterface
  private interface Edit {
    Map<String, byte[]> of(Map<String, byte[]> files) throws PortException;
  }

  private static Map<String, byte[]> placed(Map<String, byte[]> files, InRepository at, Entry entry)
      throws PortException {
    for (byte[] content : files.values()) {
      AuthorizedKeys keys = AuthorizedKeys.of(content);
      if (keys.has(entry.line())) {
        return files;
      }
      KeyLines.refuseForeign(keys, entry.key().fingerprint());
    }
    String file = KeyFiles.of(at.repository(), at.login()).fileFor(entry.key().fingerprint());
    if (at.repository().takesOneKeyEach()) {
      demandAlone(at, file, files, entry);
    }
    Map<String, byte[]> after = new TreeMap<>(files);
    after.put(
        file,
        AuthorizedKeys.of(files.getOrDefault(file, new byte[0])).with(entry.line()).toBytes());
    return after;
  }

  /** Refuses what whatever reads the repository would make nothing of. */
  private static void demandAlone(
      InRepository at, String file, Map<String, byte[]> files, Entry entry) throws PortException {
    if (!entry.line().startsWith(entry.key().line())) {
      throw new PortException(
          Kind.NOT_ALLOWED,
          at.repository().name()
              + " takes bare keys: options before one would make that it lets nobody in.",
          "Place it without limits and options; what the account may do is said in that system's own"
              + " rules.");
    }
    if (files.getOrDefault(file, new byte[0]).length > 0) {
      throw new PortException(
          Kind.NOT_ALLOWED,
          file + " in " + at.repository().name() + " is there and holds something else.",
          "A file holds one key there. Move what it holds to a file with another name.");
    }
  }

  /** The first copy of the wanted line stays where it is, or it is added; the others go. */
  private static Map<String, byte[]> replaced(
      Map<String, byte[]> files, List<String> found, InRepository at, Entry entry)
      throws PortException {
    Map<String, byte[]> after = new TreeMap<>();
    boolean there = false;
    for (Map.Entry<String, byte[]> file : files.entrySet()) {
      AuthorizedKeys keys = AuthorizedKeys.of(file.getValue());
      for (String line : found) {
        keys = there || !line.equals(entry.line()) ? keys.without(line) : keys.once(line);
      }
      there |= keys.has(entry.line());
      KeyLines.refuseForeign(keys.without(entry.line()), entry.key().fingerprint());
      after.put(file.getKey(), keys.toBytes());
    }
    return placed(after, at, entry);
  }

  private static Map<String, byte[]> withdrawn(Map<String, byte[]> files, Entry entry) {
    Map<String, byte[]> after = new TreeMap<>();
    files.forEach(
        (name, content) ->
            after.put(name, AuthorizedKeys.of(content).without(entry.line()).toBytes()));
    return after;
  }

  private List<Registered> change(
      InRepository at, Edit edit, String action, Entry entry, Lease lease) throws PortException {
    return on(
        at.repository(),
        (copy, session) -> {
          for (int merge = 0; merge < MOST_MERGES; merge++) {
            Optional<ObjectId> tip = fetch(copy, session, at.repository());
            Map<String, byte[]> before = files(copy, at);
            Map<String, byte[]> after = edit.of(before);
            Map<String, byte[]> changed = changed(before, after);
            if (changed.isEmpty()) {
              return registered(before);
            }
            ObjectId commit =
                new Commits(copy, at.repository(), clock)
                    .make(tip, changed, message(action, at, entry));
            lease.check();
            Optional<List<String>> told = push(copy, session, at, tip, commit);
            if (told.isPresent()) {
              Optional<String> complaint = complaint(told.get(), changed);
              if (complaint.isPresent()) {
                takeBack(copy, session, at, before, changed);
                throw takenBack(at, complaint.get());
              }
              fetch(copy, session, at.repository());
              return readBack(copy, at, after);
            }
          }
          throw new PortException(
              Kind.CHANGED_MEANWHILE,
              "Somebody pushed to "
                  + at.repository().name()
                  + " each time that Tolvin was about to push.",
              "It is tried again by itself.");
        });
  }

  /**
   * What is said behind a push that was taken and means that it does not count: whatever reads the
   * repository failed, or warns of a file that was just changed. Other warnings are others'.
   */
  private static Optional<String> complaint(List<String> told, Map<String, byte[]> changed) {
    return told.stream()
        .filter(
            line ->
                FAILED.matcher(line).lookingAt()
                    || WARNED.matcher(line).lookingAt()
                        && changed.keySet().stream().anyMatch(line::contains))
        .findFirst();
  }

  /** Pushes the files as they were, unless somebody changed them again meanwhile. */
  private void takeBack(
      Repository copy,
      ClientSession session,
      InRepository at,
      Map<String, byte[]> before,
      Map<String, byte[]> changed)
      throws PortException, IOException {
    Map<String, byte[]> back = new TreeMap<>();
    changed.keySet().forEach(file -> back.put(file, before.getOrDefault(file, new byte[0])));
    for (int merge = 0; merge < MOST_MERGES; merge++) {
      Optional<ObjectId> tip = fetch(copy, session, at.repository());
      Map<String, byte[]> now = files(copy, at);
      back.keySet()
          .removeIf(file -> !Arrays.equals(now.getOrDefault(file, new byte[0]), changed.get(file)));
      if (back.isEmpty()) {
        return;
      }
      ObjectId commit =
          new Commits(copy, at.repository(), clock)
              .make(tip, back, "Take back what did not count on " + at.login() + "\n");
      if (push(copy, session, at, tip, commit).isPresent()) {
        return;
      }
    }
    throw new PortException(
        Kind.UNKNOWN_OUTCOME,
        "A change that did not count could not be taken back from " + at.repository().name() + ".",
        "It is looked at again before anything else is done.");
  }

  private static PortException takenBack(InRepository at, String complaint) {
    return new PortException(
        Kind.NOT_ALLOWED,
        at.repository().name()
            + " took the push and then said: “"
            + shown(complaint)
            + "”. The change was taken back at once.",
        "Look at its rules for files of keys: how they are named, how many keys a file may hold. See"
            + " the setting keys-in-a-file.");
  }

  /** The files that become others; one that was empty before is none of our business. */
  private static Map<String, byte[]> changed(
      Map<String, byte[]> before, Map<String, byte[]> after) {
    Map<String, byte[]> changed = new TreeMap<>(after);
    changed.entrySet().removeIf(file -> Arrays.equals(file.getValue(), before.get(file.getKey())));
    return changed;
  }

  private static List<Registered> readBack(
      Repository copy, InRepository at, Map<String, byte[]> wanted)
      throws PortException, IOException {
    Map<String, byte[]> now = files(copy, at);
    if (!whole(now).equals(whole(wanted))) {
      throw new PortException(
          Kind.CHANGED_MEANWHILE,
          at.repository().name() + " took the push, but its files are not as they were pushed.",
          "Somebody changed them at once, or the server rewrites what it takes; look who.");
    }
    return registered(now);
  }

  private static String message(String action, InRepository at, Entry entry) {
    return action
        + " on "
        + at.login()
        + "\n\nKey: "
        + entry.key().fingerprint()
        + "\nAccount: "
        + at.login()
        + "\n";
  }

  private <T> T on(KeyRepository repository, Work<T> work) throws PortException {
    Copy copy =
        copies.computeIfAbsent(
            repository.login() + " " + repository.login().server().port() + repository.path(),
            key -> new Copy());
    copy.lock.take(repository.name());
    try {
      return connections.session(
          repository.login(),
          PATIENCE,
          session -> {
            try {
              return work.with(copy.open(), session);
            } catch (TransportException e) {
              throw refused(repository, session, e);
            }
          });
    } finally {
      copy.lock.release();
    }
  }

  private static IOException refused(
      KeyRepository repository, ClientSession session, TransportException e) throws PortException {
    String reason = shown(String.valueOf(e.getMessage()));
    if (!session.isOpen() || reason.contains("hung up unexpectedly")) {
      return new LostBeforeEffect(
          new PortException(
              Kind.UNREACHABLE,
              "The connection to " + repository.name() + " was lost: " + reason + ".",
              "It is tried again by itself.",
              e));
    }
    throw new PortException(
        Kind.NOT_ALLOWED,
        repository.name() + " does not give " + repository.path() + ": " + reason + ".",
        "Look at the repository's path, and whether " + repository.login() + " may read it.",
        e);
  }

  private static Transport open(Repository copy, ClientSession session, KeyRepository at)
      throws IOException {
    try {
      URIish uri =
          new URIish()
              .setScheme("ssh")
              .setUser(at.login().user())
              .setHost(at.login().server().host())
              .setPort(at.login().server().port())
              .setPath(at.path());
      Transport transport = Transport.open(copy, uri);
      ((SshTransport) transport).setSshSessionFactory(new GitOverSsh(session));
      transport.setTimeout(20);
      return transport;
    } catch (org.eclipse.jgit.errors.NotSupportedException impossible) {
      throw new IOException(impossible);
    }
  }

  /** The branch as it is now; empty in a repository without commits. */
  private static Optional<ObjectId> fetch(Repository copy, ClientSession session, KeyRepository at)
      throws IOException {
    String branch = Constants.R_HEADS + at.branch();
    ObjectId there = null;
    try (Transport transport = open(copy, session, at);
        var connection = transport.openFetch()) {
      there =
          Optional.ofNullable(connection.getRef(branch)).map(ref -> ref.getObjectId()).orElse(null);
    } catch (org.eclipse.jgit.errors.NoRemoteRepositoryException e) {
      throw e;
    }
    ObjectId known = copy.resolve(REMOTE + at.branch());
    if (there != null && !there.equals(known)) {
      try (Transport transport = open(copy, session, at)) {
        transport.fetch(
            NullProgressMonitor.INSTANCE,
            List.of(new RefSpec("+" + branch + ":" + REMOTE + at.branch())));
      }
    }
    return there == null
        ? Optional.empty()
        : Optional.ofNullable(copy.resolve(REMOTE + at.branch()));
  }

  /** Pushes a commit on top of what was fetched; false if somebody was faster. */
  /**
   * Pushes a commit.
   *
   * @return what was said behind it; empty if somebody else came first
   */
  private Optional<List<String>> push(
      Repository copy,
      ClientSession session,
      InRepository at,
      Optional<ObjectId> tip,
      ObjectId commit)
      throws PortException, IOException {
    KeyRepository repository = at.repository();
    String branch = Constants.R_HEADS + repository.branch();
    RemoteRefUpdate update =
        new RemoteRefUpdate(
            copy, commit.name(), commit, branch, false, null, tip.orElse(ObjectId.zeroId()));
    PushResult result;
    try (Transport transport = open(copy, session, repository)) {
      result = transport.push(NullProgressMonitor.INSTANCE, List.of(update));
    } catch (TransportException e) {
      if (session.isOpen() && String.valueOf(e.getMessage()).contains("on the remote end")) {
        throw new PortException(
            Kind.NO_SPACE,
            repository.name() + " refused the push: " + shown(e.getMessage()) + ".",
            "Nothing was changed there. Look whether its disk is full, and whether "
                + repository.login()
                + " may write the repository.",
            e);
      }
      throw new PortException(
          Kind.UNKNOWN_OUTCOME,
          "The push to "
              + repository.name()
              + " broke off: "
              + shown(String.valueOf(e.getMessage()))
              + ".",
          "It is looked at again before anything else is done.",
          e);
    }
    String words = shown(result.getMessages());
    said.put(at.name(), words);
    RemoteRefUpdate after = result.getRemoteUpdate(branch);
    return switch (after.getStatus()) {
      case OK, UP_TO_DATE -> Optional.of(result.getMessages().lines().map(String::strip).toList());
      case REJECTED_NONFASTFORWARD, REJECTED_REMOTE_CHANGED -> Optional.empty();
      default -> {
        if (String.valueOf(after.getMessage()).contains("failed to update ref")
            || String.valueOf(after.getMessage()).contains("cannot lock ref")) {
          yield Optional.empty(); // two pushes at once: the other one came first
        }
        throw new PortException(
            Kind.NOT_ALLOWED,
            repository.name()
                + " refused the push: "
                + shown(String.valueOf(after.getMessage()))
                + (words.isEmpty() ? "." : "; it said: " + words),
            "Nothing was changed there. Look what its rules for pushes want.");
      }
    };
  }

  private static Map<String, byte[]> files(Repository copy, InRepository at)
      throws PortException, IOException {
    KeyFiles names = KeyFiles.of(at.repository(), at.login());
    ObjectId tip = copy.resolve(REMOTE + at.repository().branch());
    return tip == null
        ? new TreeMap<>()
        : Commits.files(
            copy,
            tip,
            names::has,
            path -> {
              throw new PortException(
                  Kind.NOT_ALLOWED,
                  path + " in " + at.repository().name() + " is not a plain file.",
                  "Put the keys into a plain file there, or correct the pattern of names.");
            });
  }

  /** Files whose names begin with the account's login, wherever they are. */
  private static Map<String, byte[]> meant(Repository copy, InRepository at)
      throws PortException, IOException {
    Pattern name = Pattern.compile("(?:.*/)?" + Pattern.quote(at.login()) + "[^A-Za-z0-9/][^/]*");
    ObjectId tip = copy.resolve(REMOTE + at.repository().branch());
    return tip == null
        ? new TreeMap<>()
        : Commits.files(copy, tip, path -> name.matcher(path).matches(), path -> {});
  }

  private static List<Registered> registered(Map<String, byte[]> files) {
    List<Registered> all = new ArrayList<>();
    files.values().forEach(content -> all.addAll(KeyLines.registered(AuthorizedKeys.of(content))));
    return all;
  }

  private static String shown(String text) {
    String plain =
        PlainText.shown(
            new String(text.getBytes(StandardCharsets.UTF_8), StandardCharsets.UTF_8)
                .strip()
                .replaceAll("\\s*\\n\\s*", " | "));
    return plain.length() > LONGEST ? plain.substring(0, LONGEST) + "…" : plain;
  }

  @Override
  public void close() {
    copies.values().forEach(Copy::close);
    copies.clear();
  }
}
