package tolvin.standins.demo;

import java.io.IOException;
import java.net.InetSocketAddress;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.security.KeyPair;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.TimeUnit;
import org.apache.sshd.client.ClientBuilder;
import org.apache.sshd.client.SshClient;
import org.apache.sshd.client.config.hosts.HostConfigEntryResolver;
import org.apache.sshd.client.session.ClientSession;
import org.apache.sshd.common.NamedFactory;
import org.apache.sshd.common.NamedResource;
import org.apache.sshd.common.config.keys.FilePasswordProvider;
import org.apache.sshd.common.config.keys.KeyUtils;
import org.apache.sshd.common.digest.BuiltinDigests;
import org.apache.sshd.common.kex.BuiltinDHFactories;
import org.apache.sshd.common.keyprovider.KeyIdentityProvider;
import org.apache.sshd.common.util.security.SecurityUtils;
import org.apache.sshd.sftp.client.SftpClient;
import org.apache.sshd.sftp.client.SftpClientFactory;

/**
 * The ferry operator's small client programs: each uploads a file again and again by SFTP, on a
 * fresh connection, with whatever private key lies in its seat at that moment, and counts what
 * succeeds and what fails. They know nothing of Tolvin.
 *
 * <pre>
 * FerryClients STATUS-FILE NAME HOST PORT LOGIN KEY-FILE HOST-KEY-FINGERPRINT ADDRESS MILLIS …
 * </pre>
 */
public final class FerryClients implements AutoCloseable {
  private static final Duration PATIENCE = Duration.ofSeconds(10);
  private static final int ARGUMENTS = 8;

  private final SshClient ssh;
  private final ScheduledExecutorService timer;
  private final Path status;
  private final Map<String, Count> counts = new ConcurrentHashMap<>();

  /**
   * One client program.
   *
   * @param keyFile the private file of its seat, read anew for each upload
   * @param hostKey the SHA-256 fingerprint of the server's host key, compared each time
   * @param address the loopback address that it signs in from
   */
  public record Upload(
      String name,
      String host,
      int port,
      String login,
      Path keyFile,
      String hostKey,
      String address,
      Duration every) {}

  /** What one client has counted. */
  private record Count(long succeeded, long failed, String lastFailure, Instant lastSuccess) {
    static final Count NONE = new Count(0, 0, "", null);

    Count success() {
      return new Count(succeeded + 1, failed, lastFailure, Instant.now());
    }

    Count failure(String why) {
      return new Count(succeeded, failed + 1, Instant.now() + " " + why, lastSuccess);
    }
  }

  /** Starts the programs; they write their counts into a status file. */
  public FerryClients(Path status, List<Upload> uploads) {
    this.status = status;
    this.timer = Executors.newScheduledThreadPool(uploads.size() + 1);
    this.ssh =
        ClientBuilder.builder()
            .keyExchangeFactories(
                NamedFactory.setUpTransformedFactories(
                    true,
                    List.of(BuiltinDHFactories.curve25519, BuiltinDHFactories.ecdhp256),
                    ClientBuilder.DH2KEX))
            .build();
    ssh.setHostConfigEntryResolver(HostConfigEntryResolver.EMPTY);
    ssh.setKeyIdentityProvider(KeyIdentityProvider.EMPTY_KEYS_PROVIDER);
    ssh.setServerKeyVerifier(
        (session, address, key) ->
            uploads.stream()
                .map(Upload::hostKey)
                .anyMatch(KeyUtils.getFingerPrint(BuiltinDigests.sha256, key)::equals));
    ssh.start();
    for (Upload upload : uploads) {
      counts.put(upload.name(), Count.NONE);
      timer.scheduleAtFixedRate(
          () -> once(upload), 0, upload.every().toMillis(), TimeUnit.MILLISECONDS);
    }
    timer.scheduleWithFixedDelay(this::writeStatus, 200, 200, TimeUnit.MILLISECONDS);
  }

  private void once(Upload upload) {
    try {
      upload(upload);
      counts.compute(upload.name(), (name, count) -> count.success());
    } catch (Exception e) {
      counts.compute(upload.name(), (name, count) -> count.failure(String.valueOf(e.getMessage())));
    }
  }

  private void upload(Upload upload) throws Exception {
    KeyPair pair;
    try (var file = Files.newInputStream(upload.keyFile())) {
      pair =
          SecurityUtils.loadKeyPairIdentities(
                  null, NamedResource.ofName("seat"), file, FilePasswordProvider.EMPTY)
              .iterator()
              .next();
    }
    try (ClientSession session =
        ssh.connect(
                upload.login(),
                new InetSocketAddress(upload.host(), upload.port()),
                null,
                new InetSocketAddress(upload.address(), 0))
            .verify(PATIENCE)
            .getSession()) {
      session.addPublicKeyIdentity(pair);
      session.auth().verify(PATIENCE);
      try (SftpClient sftp = SftpClientFactory.instance().createSftpClient(session)) {
        byte[] content =
            ("quay,departs\nNorth Quay," + Instant.now() + "\n").getBytes(StandardCharsets.UTF_8);
        try (SftpClient.CloseableHandle handle =
            sftp.open(
                upload.name() + ".csv",
                SftpClient.OpenMode.Write,
                SftpClient.OpenMode.Create,
                SftpClient.OpenMode.Truncate)) {
          sftp.write(handle, 0, content);
        }
      }
    }
  }

  private void writeStatus() {
    StringBuilder text = new StringBuilder();
    new TreeMap<>(counts)
        .forEach(
            (name, count) ->
                text.append(name)
                    .append(" succeeded=")
                    .append(count.succeeded())
                    .append(" failed=")
                    .append(count.failed())
                    .append(count.lastFailure().isEmpty() ? "" : " last-failure=")
                    .append(count.lastFailure().replace('\n', ' '))
                    .append('\n'));
    try {
      Path beside = status.resolveSibling(status.getFileName() + ".new");
      Files.writeString(beside, text);
      Files.move(
          beside, status, StandardCopyOption.REPLACE_EXISTING, StandardCopyOption.ATOMIC_MOVE);
    } catch (IOException e) {
      System.err.println("status not written: " + e.getMessage());
    }
  }

  /** How many uploads of one client succeeded so far. */
  public long succeeded(String name) {
    return counts.get(name).succeeded();
  }

  /** How many uploads failed so far, with the last reason; empty text if none did. */
  public String failures() {
    StringBuilder text = new StringBuilder();
    counts.forEach(
        (name, count) -> {
          if (count.failed() > 0) {
            text.append(
                name + " failed " + count.failed() + " times: " + count.lastFailure() + "\n");
          }
        });
    return text.toString();
  }

  @Override
  public void close() {
    timer.shutdownNow();
    try {
      timer.awaitTermination(5, TimeUnit.SECONDS);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
    ssh.stop();
    writeStatus();
  }

  /** Runs until it is ended from outside. */
  public static void main(String[] arguments) throws InterruptedException {
    List<Upload> uploads = new ArrayList<>();
    for (int at = 1; at + ARGUMENTS <= arguments.length; at += ARGUMENTS) {
      String[] a = Arrays.copyOfRange(arguments, at, at + ARGUMENTS);
      uploads.add(
          new Upload(
              a[0],
              a[1],
              Integer.parseInt(a[2]),
              a[3],
              Path.of(a[4]),
              a[5],
              a[6],
              Duration.ofMillis(Long.parseLong(a[7]))));
    }
    FerryClients clients = new FerryClients(Path.of(arguments[0]), uploads);
    Runtime.getRuntime().addShutdownHook(new Thread(clients::close));
    Thread.currentThread().join();
  }
}
