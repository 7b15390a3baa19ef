package tolvin.standins.build;

import com.fasterxml.jackson.core.type.TypeReference;
import com.nimbusds.jose.JOSEException;
import com.nimbusds.jose.JWEObject;
import com.nimbusds.jose.crypto.RSADecrypter;
import com.nimbusds.jose.jwk.RSAKey;
import com.nimbusds.jose.jwk.gen.RSAKeyGenerator;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.text.ParseException;
import java.time.Instant;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.TimeUnit;
import tolvin.core.key.RefusedException;
import tolvin.core.pair.PrivateForm;
import tolvin.core.pair.PublicPart;
import tolvin.standins.http.HttpDoor;
import tolvin.standins.http.Kept;
import tolvin.standins.http.Reply;
import tolvin.standins.http.Request;
import tolvin.standins.http.Weather;

/**
 * Slipway, a made-up build system: jobs that fetch from a git repository with a private key from a
 * credential store. The store takes private keys encrypted to its published key (JWE, RFC 7516),
 * tells their fingerprints, and never gives one back.
 */
public final class BuildSystem implements AutoCloseable {
  private final Dialect dialect;
  private final Path directory;
  private final Kept<Credential> credentials;
  private final RSAKey key;
  private volatile PrivateForm reads = PrivateForm.OPENSSH;
  private final HttpDoor http;
  private final Map<String, Job> jobs = new ConcurrentHashMap<>();
  private final Map<Integer, Run> runs = new ConcurrentHashMap<>();
  private final ExecutorService workers = Executors.newFixedThreadPool(2);

  /** The shapes that its API can have. */
  public enum Shape {
    /** One private key for each entry. */
    PLAIN,
    /** The former private key is kept beside. */
    VERSIONED
  }

  /** What a dialect answers. */
  interface Dialect {
    Reply answer(BuildSystem system, Request request) throws IOException;
  }

  /**
   * A job that fetches.
   *
   * @param credential the entry that it signs in with
   * @param repository what it fetches, as git writes it over SSH
   * @param knownHosts the lines of the hosts that it believes
   * @param load what it loads from a warehouse afterwards; empty for nothing
   */
  public record Job(
      String credential, String repository, List<String> knownHosts, Optional<Load> load) {
    /** A job that fetches and loads nothing. */
    public Job(String credential, String repository, List<String> knownHosts) {
      this(credential, repository, knownHosts, Optional.empty());
    }
  }

  /**
   * A sign-in to a warehouse with the same private key.
   *
   * @param account as whom
   * @param tokenEndpoint where an assertion is given for a token
   */
  public record Load(String account, String tokenEndpoint) {}

  /** A run of a job. */
  static final class Run {
    volatile String state = "running";
    volatile String log = "";
  }

  private BuildSystem(Path directory, int port, Shape shape, String secret) throws IOException {
    this.directory = directory;
    Files.createDirectories(directory.resolve("private"));
    Files.setPosixFilePermissions(
        directory.resolve("private"), PosixFilePermissions.fromString("rwx------"));
    this.dialect = shape == Shape.PLAIN ? new PlainStore(secret) : new VersionedStore(secret);
    this.credentials = new Kept<>(directory.resolve("credentials.json"), new TypeReference<>() {});
    this.key = key(directory.resolve("private/sealing-key.json"));
    this.http = HttpDoor.open(port, request -> dialect.answer(this, request));
  }

  /**
   * Starts one.
   *
   * @param port the port of its API; 0 for a free one
   * @param secret the secret that its API wants
   */
  public static BuildSystem start(Path directory, int port, Shape shape, String secret)
      throws IOException {
    return new BuildSystem(directory, port, shape, secret);
  }

  private static RSAKey key(Path file) throws IOException {
    try {
      if (!Files.exists(file)) {
        RSAKey made = new RSAKeyGenerator(3072).keyID("seal-1").generate();
        Files.writeString(file, made.toJSONString());
      }
      return RSAKey.parse(Files.readString(file));
    } catch (JOSEException | ParseException e) {
      throw new IOException("no sealing key", e);
    }
  }

  /** Its API's address. */
  public String url() {
    return http.url();
  }

  /** Its API's weather. */
  public Weather weather() {
    return http.weather();
  }

  /** Adds a job. */
  public BuildSystem job(String name, Job job) {
    jobs.put(name, job);
    return this;
  }

  Map<String, Object> sealingKey() {
    return key.toPublicJWK().toJSONObject();
  }

  boolean knows(String job) {
    return jobs.containsKey(job);
  }

  synchronized List<Credential> of(String name) {
    return credentials.items().stream().filter(c -> c.name.equals(name)).toList();
  }

  /** The only form of private files that its jobs read from now on. */
  public void reads(PrivateForm form) {
    reads = form;
  }

  /** Puts a private key in, as an administrator does with the first one. */
  public void put(String name, String privateFile) throws IOException {
    keep(name, privateFile.getBytes(StandardCharsets.UTF_8), false);
  }

  /**
   * Takes a sealed private key.
   *
   * @param keepFormer whether the one before is kept beside
   * @return its fingerprint; empty if it cannot be read
   */
  synchronized Optional<String> take(String name, String sealed, boolean keepFormer)
      throws IOException {
    try {
      JWEObject object = JWEObject.parse(sealed);
      object.decrypt(new RSADecrypter(key));
      return Optional.of(keep(name, object.getPayload().toBytes(), keepFormer));
    } catch (ParseException | JOSEException | NotTaken wrong) {
      return Optional.empty();
    }
  }

  /** A private file that its jobs could not use. */
  private static final class NotTaken extends IOException {
    private static final long serialVersionUID = 1;

    NotTaken(String why) {
      super(why);
    }
  }

  private String keep(String name, byte[] file, boolean keepFormer) throws IOException {
    Credential fresh = new Credential();
    PublicPart part = new PublicPart();
    try {
      for (Optional<PublicPart.Piece> piece = part.wanted();
          piece.isPresent();
          piece = part.wanted()) {
        int from = (int) piece.get().from();
        int to = Math.min(file.length, from + piece.get().length());
        part.give(Arrays.copyOfRange(file, Math.min(from, to), to));
      }
      fresh.fingerprint = part.key().fingerprintText();
    } catch (RefusedException e) {
      throw new NotTaken("this is no private file");
    }
    if (part.form() != reads) {
      throw new NotTaken("the private file is not in the form that is read here");
    }
    fresh.name = name;
    fresh.current = true;
    fresh.since = Instant.now().toString();
    Path path = Files.createTempFile(directory.resolve("private"), name + "-", "");
    Files.write(path, file);
    fresh.file = path.toString();
    for (Credential former : of(name)) {
      former.current = false;
      if (!keepFormer || former.fingerprint.equals(fresh.fingerprint)) {
        forget(former);
      }
    }
    credentials.items().add(fresh);
    credentials.save();
    return fresh.fingerprint;
  }

  /** Makes one that is kept the one in use; whether it is there. */
  synchronized boolean use(String name, String fingerprint) {
    List<Credential> all = of(name);
    if (all.stream().noneMatch(c -> c.fingerprint.equals(fingerprint))) {
      return false;
    }
    all.forEach(c -> c.current = c.fingerprint.equals(fingerprint));
    credentials.save();
    return true;
  }

  /** Forgets one that is not in use; whether it was there. */
  synchronized boolean drop(String name, String fingerprint) throws IOException {
    for (Credential credential : of(name)) {
      if (!credential.current && credential.fingerprint.equals(fingerprint)) {
        forget(credential);
        credentials.save();
        return true;
      }
    }
    return false;
  }

  private void forget(Credential credential) throws IOException {
    Files.deleteIfExists(Path.of(credential.file));
    credentials.items().remove(credential);
  }

  /** Starts a job; its number. */
  int run(String name) {
    Job job = jobs.get(name);
    Run run = new Run();
    int number = runs.size() + 1;
    runs.put(number, run);
    workers.submit(() -> run(job, run));
    return number;
  }

  Optional<Run> runNumbered(String text) {
    return text.matches("\\d{1,9}")
        ? Optional.ofNullable(runs.get(Integer.parseInt(text)))
        : Optional.empty();
  }

  private void run(Job job, Run run) {
    try {
      Optional<Credential> credential =
          of(job.credential()).stream().filter(c -> c.current).findFirst();
      if (credential.isEmpty()) {
        throw new IOException("there is no credential " + job.credential());
      }
      Path known = directory.resolve("private/known_hosts-" + job.credential());
      Files.write(known, job.knownHosts());
      ProcessBuilder git = new ProcessBuilder("git", "ls-remote", job.repository());
      git.environment()
          .put(
              "GIT_SSH_COMMAND",
              "ssh -F none -i "
                  + credential.get().file
                  + " -o IdentitiesOnly=yes -o IdentityAgent=none -o BatchMode=yes"
                  + " -o StrictHostKeyChecking=yes -o GlobalKnownHostsFile=none"
                  + " -o UserKnownHostsFile="
                  + known);
      git.environment().put("GIT_CONFIG_NOSYSTEM", "1");
      git.redirectErrorStream(true);
      Process process = git.start();
      String output = new String(process.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
      boolean ended = process.waitFor(30, TimeUnit.SECONDS);
      boolean fetched = ended && process.exitValue() == 0;
      String loading = "";
      boolean good = fetched;
      if (fetched && job.load().isPresent()) {
        loading = WarehouseLoad.run(job.load().get(), Path.of(credential.get().file));
        good = loading.startsWith("Loaded");
      }
      run.log =
          "Fetching "
              + job.repository()
              + " with "
              + credential.get().fingerprint
              + "\n"
              + output
              + (fetched ? "Fetched.\n" : "The repository could not be fetched.\n")
              + loading;
      run.state = good ? "passed" : "failed";
    } catch (IOException e) {
      run.log = e.getMessage();
      run.state = "failed";
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      run.state = "failed";
    }
  }

  @Override
  public void close() {
    http.close();
    workers.shutdownNow();
  }
}
