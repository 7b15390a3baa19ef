package tolvin.service.command;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.quarkus.test.common.QuarkusTestResource;
import io.quarkus.test.junit.QuarkusTest;
import jakarta.inject.Inject;
import java.util.ArrayList;
import java.util.List;
import java.util.UUID;
import org.junit.jupiter.api.Test;
import tolvin.api.command.HostCommandRequest;
import tolvin.core.port.CommandPort;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.service.PostgresForTests;

/** What is run on hosts is what is on the list at that very moment. */
@QuarkusTest
@QuarkusTestResource(PostgresForTests.class)
class HostCommandsTest {
  @Inject HostCommands commands;

  @Test
  void onlyTheWholeCommandAndOnlyAsLongAsItIsApproved() throws Exception {
    String command = "systemctl reload feed-" + UUID.randomUUID();
    List<String> ran = new ArrayList<>();
    CommandPort port =
        commands.only(
            (login, what) -> {
              ran.add(what);
              return "done";
            });
    UUID id = commands.approve(new HostCommandRequest(command, "a test")).id();
    assertThat(port.run(null, command)).isEqualTo("done");
    for (String other :
        List.of(command + " ", command + "; id", command.toUpperCase(), "true", "")) {
      refused(port, other);
    }
    commands.withdraw(id);
    refused(port, command);
    assertThat(ran).containsExactly(command);
  }

  private static void refused(CommandPort port, String command) {
    assertThatThrownBy(() -> port.run(null, command))
        .isInstanceOfSatisfying(
            PortException.class, e -> assertThat(e.kind()).isEqualTo(Kind.NOT_ALLOWED));
  }
}
