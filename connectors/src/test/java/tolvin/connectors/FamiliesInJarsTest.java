package tolvin.connectors;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.time.Clock;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.junit.jupiter.api.Test;
import tolvin.connectors.shared.RefusingAccounts;
import tolvin.connectors.ssh.SshConnections;
import tolvin.core.estate.Family;
import tolvin.core.port.AccountPort;
import tolvin.core.port.DestinationFamily;
import tolvin.core.port.FamilyForm;
import tolvin.core.port.Place;
import tolvin.core.port.PortException;

/** A family in a jar of its own is attached and reached like one of Tolvin's. */
class FamiliesInJarsTest {

  /** A place of a kind that nobody else knows. */
  private record InVault(String name, Family family) implements Place {}

  private record Vault(Family as) implements DestinationFamily {
    @Override
    public String name() {
      return "vault";
    }

    @Override
    public Optional<FamilyForm> form() {
      return Optional.of(
          new FamilyForm(
              as,
              "Vault",
              7000,
              Optional.empty(),
              FamilyForm.With.SECRET,
              false,
              false,
              List.of(FamilyForm.Setting.needed("shelf", "where the keys lie"))));
    }

    @Override
    public AccountPort accounts() {
      return new RefusingAccounts("is locked today", "Come back tomorrow.");
    }
  }

  @Test
  void isAttachedAndReachedLikeTolvinsOwn() {
    try (SshConnections connections = new SshConnections(Duration.ofSeconds(10));
        Routing routing = routing(connections, new Vault(Family.CODE_HOST))) {
      assertThat(routing.families().forms())
          .extracting(FamilyForm::family)
          .containsExactly(
              Family.SFTP_SERVER,
              Family.KEY_REPOSITORY,
              Family.DIRECTORY,
              Family.PARTNER,
              Family.CODE_HOST);
      assertThatThrownBy(() -> routing.accounts().read(new InVault("berta", Family.CODE_HOST)))
          .isInstanceOf(PortException.class)
          .hasMessage("berta is locked today.");
    }
  }

  @Test
  void aPlaceWhoseJarIsGoneSaysWhatToDo() {
    try (SshConnections connections = new SshConnections(Duration.ofSeconds(10));
        Routing routing = new Routing(connections, Clock.systemUTC(), Map.of())) {
      assertThatThrownBy(() -> routing.accounts().read(new InVault("berta", Family.CODE_HOST)))
          .isInstanceOf(PortException.class)
          .hasMessageContaining("berta is reached by the connector")
          .extracting(e -> ((PortException) e).remedy())
          .asString()
          .contains("jar");
    }
  }

  @Test
  void twoOfOneFamilyAreRefused() {
    try (SshConnections connections = new SshConnections(Duration.ofSeconds(10))) {
      assertThatThrownBy(() -> routing(connections, new Vault(Family.DIRECTORY)))
          .isInstanceOf(IllegalArgumentException.class)
          .hasMessageContaining("DIRECTORY");
    }
  }

  private static Routing routing(SshConnections connections, DestinationFamily jar) {
    return new Routing(connections, Clock.systemUTC(), Map.of(jar.name(), jar));
  }
}
