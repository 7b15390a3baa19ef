package tolvin.service.coffer;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static tolvin.service.store.Transactions.inNewTransaction;

import io.quarkus.test.common.QuarkusTestResource;
import io.quarkus.test.junit.QuarkusTest;
import jakarta.inject.Inject;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.UUID;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.atomic.AtomicBoolean;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import tolvin.service.PostgresForTests;
import tolvin.service.store.ClockStore;

/** The master key: the right one only, closed to others, exchanged while everything goes on. */
@QuarkusTest
@QuarkusTestResource(PostgresForTests.class)
class CofferTest {
  private static final String PURPOSE = "a test";

  @Inject Coffer coffer;
  @Inject CofferStore store;
  @Inject ClockStore clock;

  @ConfigProperty(name = "tolvin.data")
  String data;

  /** Another instance of the service on the same database. */
  private Coffer instance(Path directory) {
    return new Coffer(store, new MasterKey(directory.toString(), Optional.empty()), clock);
  }

  private static UUID keep(Coffer into, String secret) {
    UUID subject = UUID.randomUUID();
    inNewTransaction(
        () -> {
          into.keepText(PURPOSE, subject, secret);
          return null;
        });
    return subject;
  }

  private static String take(Coffer from, UUID subject) {
    return inNewTransaction(() -> from.takeText(PURPOSE, subject)).orElseThrow();
  }

  @Test
  void anotherKeyAMissingOneAndAnOpenOneDoNotStart(@TempDir Path other) throws Exception {
    coffer.open();
    assertThatThrownBy(() -> instance(other).open()).hasMessageContaining("is missing");
    new MasterKey(other.toString(), Optional.empty()).read(true); // makes one
    assertThatThrownBy(() -> instance(other).open())
        .hasMessageContaining("not the one that this database's secrets are encrypted with");
    Path copied = other.resolve("master-key.json");
    Files.copy(
        Path.of(data, "master-key.json"),
        copied,
        java.nio.file.StandardCopyOption.REPLACE_EXISTING);
    for (String mode : List.of("rw-r--r--", "rw----r--", "rw--w----")) {
      Files.setPosixFilePermissions(copied, PosixFilePermissions.fromString(mode));
      assertThatThrownBy(() -> instance(other).open())
          .hasMessageContaining("is open to others")
          .hasMessageContaining("chmod 600");
    }
    Files.setPosixFilePermissions(copied, PosixFilePermissions.fromString("r--------"));
    instance(other).open();
  }

  @Test
  void theMasterKeyIsExchangedWhileSecretsComeAndGo(@TempDir Path aside) throws Exception {
    Path file = Path.of(data, "master-key.json");
    Files.copy(file, aside.resolve("master-key.json"));
    Coffer neighbour = instance(Path.of(data));
    List<UUID> before = new ArrayList<>();
    for (int i = 0; i < 700; i++) {
      before.add(keep(i % 2 == 0 ? coffer : neighbour, "secret " + i));
    }
    AtomicBoolean goesOn = new AtomicBoolean(true);
    ExecutorService workers = Executors.newFixedThreadPool(3);
    List<Future<List<UUID>>> kept = new ArrayList<>();
    for (Coffer one : List.of(coffer, neighbour, neighbour)) {
      kept.add(
          workers.submit(
              () -> {
                List<UUID> mine = new ArrayList<>();
                do {
                  UUID subject = keep(one, "meanwhile");
                  assertThat(take(one, subject)).isEqualTo("meanwhile");
                  mine.add(subject);
                } while (goesOn.get());
                return mine;
              }));
    }
    int entries = coffer.exchange(exchanged -> {}).entries();
    int again = neighbour.exchange(exchanged -> {}).entries();
    goesOn.set(false);
    workers.shutdown();
    assertThat(entries).isGreaterThan(700);
    assertThat(again).isGreaterThanOrEqualTo(entries);
    for (Future<List<UUID>> mine : kept) {
      for (UUID subject : mine.get()) {
        assertThat(take(coffer, subject)).isEqualTo("meanwhile");
      }
    }
    for (int i = 0; i < before.size(); i++) {
      assertThat(take(coffer, before.get(i))).isEqualTo("secret " + i);
    }
    assertThat(Files.readString(file, StandardCharsets.UTF_8).split("keyId")).hasSize(2);
    assertThat(
            PosixFilePermissions.toString(
                Files.getPosixFilePermissions(Path.of(data, "master-key-before.json"))))
        .isEqualTo("rw-------");
    assertThatThrownBy(() -> instance(aside).open())
        .hasMessageContaining("not the one that this database's secrets are encrypted with");
  }

  @Test
  void anExchangeThatStoppedOnTheWayGoesOn() {
    UUID subject = keep(coffer, "kept before");
    MasterKey stopped = new MasterKey(data, Optional.empty());
    stopped.read(false);
    stopped.add(); // and the service was killed before anything was wrapped by it
    Coffer after = instance(Path.of(data));
    assertThat(take(after, subject)).isEqualTo("kept before");
    UUID between = keep(after, "kept between");
    assertThat(after.exchange(exchanged -> {}).entries()).isPositive();
    assertThat(take(coffer, subject)).isEqualTo("kept before");
    assertThat(take(coffer, between)).isEqualTo("kept between");
    assertThat(new MasterKey(data, Optional.empty()).read(false)).isNotNull();
  }

  /** It was opened before the others exchanged the key, and did nothing since. */
  @Test
  void anInstanceThatWasIdleMeanwhileLosesNoKeyOfTheOthers() {
    Coffer idle = instance(Path.of(data));
    UUID subject = keep(idle, "kept before");
    coffer.exchange(exchanged -> {});
    UUID between = keep(coffer, "kept between");
    assertThat(idle.exchange(exchanged -> {}).entries()).isPositive();
    for (Coffer one : List.of(idle, coffer, instance(Path.of(data)))) {
      assertThat(take(one, subject)).isEqualTo("kept before");
      assertThat(take(one, between)).isEqualTo("kept between");
    }
  }
}
