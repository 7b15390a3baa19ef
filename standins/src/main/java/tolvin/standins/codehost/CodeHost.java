package tolvin.standins.codehost;

import com.fasterxml.jackson.core.type.TypeReference;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.TimeUnit;
import tolvin.core.key.OneLine;
import tolvin.core.key.PublicKey;
import tolvin.core.key.RefusedException;
import tolvin.standins.http.HttpDoor;
import tolvin.standins.http.Kept;
import tolvin.standins.http.Reply;
import tolvin.standins.http.Request;
import tolvin.standins.http.Weather;
import tolvin.standins.local.LocalSshServer;

/**
 * Pierhead, a made-up code host: people's keys and repositories' keys over an HTTP API in one of
 * two dialects, and real git over SSH that lets in exactly the registered keys, a while later.
 */
public final class CodeHost implements AutoCloseable {
  private static final int MOST_KEYS = 5;

  private final Dialect dialect;
  private final GitDoor git;
  private final Kept<HostedKey> keys;
  private final HttpDoor http;
  private final Set<String> people = ConcurrentHashMap.newKeySet();
  private final Set<String> repositories = ConcurrentHashMap.newKeySet();
  private final Set<String> blocked = ConcurrentHashMap.newKeySet();
  private final ScheduledExecutorService copier =
      Executors.newSingleThreadScheduledExecutor(task -> new Thread(task, "code host"));
  private volatile Duration delay = Duration.ZERO;
  private volatile Set<String> types =
      Set.of(
          "ssh-rsa",
          "ssh-ed25519",
          "ecdsa-sha2-nistp256",
          "sk-ssh-ed25519@openssh.com",
          "sk-ecdsa-sha2-nistp256@openssh.com");
  private volatile int mostRequests = Integer.MAX_VALUE;
  private long second;
  private int requests;

  /** The shapes that its API can have. */
  public enum Shape {
    PLAIN,
    NESTED
  }

  /** What a dialect answers. */
  interface Dialect {
    Reply answer(CodeHost host, Request request) throws IOException;
  }

  private CodeHost(Path directory, int httpPort, int sshPort, Shape shape, String secret)
      throws IOException {
    Files.createDirectories(directory);
    this.dialect = shape == Shape.PLAIN ? new PlainDialect(secret) : new NestedDialect(secret);
    this.git = new GitDoor(directory.resolve("git"), sshPort);
    this.keys = new Kept<>(directory.resolve("keys.json"), new TypeReference<>() {});
    this.http = HttpDoor.open(httpPort, this::answer);
    git.server().start();
    copy();
    copier.scheduleWithFixedDelay(this::copyQuietly, 200, 200, TimeUnit.MILLISECONDS);
  }

  /**
   * Starts one.
   *
   * @param httpPort the port of its API; 0 for a free one
   * @param sshPort the port of git over SSH
   * @param secret the token, or the client's secret, that its API wants
   */
  public static CodeHost start(
      Path directory, int httpPort, int sshPort, Shape shape, String secret) throws IOException {
    return new CodeHost(directory, httpPort, sshPort, shape, secret);
  }

  /** Its API's address. */
  public String url() {
    return http.url();
  }

  /** Its SSH server. */
  public LocalSshServer ssh() {
    return git.server();
  }

  /** Its API's weather. */
  public Weather weather() {
    return http.weather();
  }

  /** Adds a person. */
  public CodeHost person(String login) {
    people.add(login);
    return this;
  }

  /** Adds a repository, such as {@code boats/timetable}. */
  public CodeHost repository(String name) throws IOException {
    git.repository(name);
    repositories.add(name);
    return this;
  }

  /** How long it takes until a change of keys is everywhere. */
  public void copyingTakes(Duration time) {
    delay = time;
  }

  /** What its administrator allows, by type word. */
  public void allow(Set<String> allowed) {
    types = Set.copyOf(allowed);
  }

  /** How many requests in a second it takes. */
  public void atMostInASecond(int most) {
    mostRequests = most;
  }

  private synchronized Reply answer(Request request) throws IOException {
    long now = System.currentTimeMillis() / 1000;
    requests = now == second ? requests + 1 : 1;
    second = now;
    return requests > mostRequests
        ? new Reply(429, Map.of("message", "too many requests"), Map.of("Retry-After", "1"))
        : dialect.answer(this, request);
  }

  boolean knows(String holder) {
    String[] parts = holder.split(":", 2);
    return parts[0].equals("person")
        ? people.contains(parts[1])
        : parts[0].equals("repository") && repositories.contains(parts[1]);
  }

  /** The keys of a holder, the oldest first. */
  List<HostedKey> of(String holder) {
    return keys.items().stream().filter(k -> k.removed == null && k.holder.equals(holder)).toList();
  }

  /** When each key was last used, by its number. */
  Map<Integer, Instant> uses() throws IOException {
    return git.uses();
  }

  /** Why a key was not added: what its API says about it. */
  static final class Refusal extends Exception {
    private static final long serialVersionUID = 1;
    private final String code;

    Refusal(String code) {
      super(code);
      this.code = code;
    }

    String code() {
      return code;
    }
  }

  /** Adds a key. */
  synchronized HostedKey add(
      String holder, String title, String text, String purpose, String access, String ends)
      throws Refusal {
    PublicKey key;
    try {
      key = OneLine.read(text).orRefuse().key();
    } catch (RefusedException wrong) {
      throw new Refusal("not_a_key");
    }
    if (!types.contains(key.type().word())) {
      throw new Refusal("type_not_allowed");
    }
    List<HostedKey> there = of(holder);
    if (keys.items().stream().anyMatch(k -> k.removed == null && k.line.equals(key.line()))) {
      throw new Refusal("key_in_use");
    }
    if (there.stream().anyMatch(k -> k.title.equals(title))) {
      throw new Refusal("title_in_use");
    }
    if (there.size() >= MOST_KEYS) {
      throw new Refusal("too_many_keys");
    }
    HostedKey added = new HostedKey();
    added.number = keys.items().stream().mapToInt(k -> k.number).max().orElse(100) + 1;
    added.holder = holder;
    added.title = title;
    added.line = key.line();
    added.purpose = purpose;
    added.access = access;
    added.added = Instant.now().toString();
    added.ends = ends;
    keys.items().add(added);
    keys.save();
    copyQuietly();
    return added;
  }

  /** Takes a key off; whether it was there. */
  synchronized boolean remove(String holder, int number) {
    for (HostedKey key : of(holder)) {
      if (key.number == number) {
        key.removed = Instant.now().toString();
        keys.save();
        copyQuietly();
        return true;
      }
    }
    return false;
  }

  /** Whose a key is; empty text for none. */
  synchronized String holder(int number) {
    return keys.items().stream()
        .filter(k -> k.removed == null && k.number == number)
        .map(k -> k.holder)
        .findFirst()
        .orElse("");
  }

  /** Somebody adds a key by hand. */
  public void outside(String holder, String title, String line) throws IOException {
    outside(holder, title, line, "sign-in", null);
  }

  /**
   * Somebody adds a key by hand.
   *
   * @param purpose sign-in or signing
   * @param ends when it stops working; null for never
   */
  public void outside(String holder, String title, String line, String purpose, String ends)
      throws IOException {
    try {
      add(holder, title, line, purpose, "write", ends);
    } catch (Refusal e) {
      throw new IOException(e.code());
    }
  }

  /** Somebody gives a key another title by hand. */
  public synchronized void retitle(String line, String title) {
    keys.items().stream()
        .filter(k -> k.removed == null && k.line.equals(line))
        .forEach(k -> k.title = title);
    keys.save();
  }

  /** Its administrators block a key: it stays registered and lets nobody in. */
  public void block(String line) {
    blocked.add(line);
    copyQuietly();
  }

  /** The keys of a holder. */
  public synchronized List<String> lines(String holder) {
    return of(holder).stream().map(k -> k.line).toList();
  }

  private void copyQuietly() {
    try {
      copy();
    } catch (IOException e) {
      System.err.println("code host: keys not copied: " + e.getMessage());
    }
  }

  private synchronized void copy() throws IOException {
    Instant now = Instant.now();
    List<HostedKey> working = new ArrayList<>();
    for (HostedKey key : keys.items()) {
      if (key.purpose.equals("sign-in") && key.works(now, delay) && !blocked.contains(key.line)) {
        working.add(key);
      }
    }
    git.letIn(working);
  }

  @Override
  public void close() {
    http.close();
    copier.shutdownNow();
    git.close();
  }
}
