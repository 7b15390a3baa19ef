package tolvin.connectors.sheet;

import java.time.Duration;
import java.util.HashMap;
import java.util.Map;
import java.util.Set;
import tolvin.core.port.Place.OnSystem;
import tolvin.core.port.PortException;
import tolvin.core.sheet.SystemSheet.AccountKind;

/** Reads how an account signs in, where a system tells. */
public final class SheetStates {
  private static final Duration PATIENCE = Duration.ofSeconds(10);

  private final Steps steps;

  /** Talks to systems so. */
  public SheetStates(Steps steps) {
    this.steps = steps.within(PATIENCE);
  }

  /**
   * What the system says.
   *
   * @return {@code sign-in-mode} in Tolvin's words and {@code enabled} as true or false; empty if
   *     it does not say
   * @throws PortException if it could not be asked
   */
  public Map<String, String> read(OnSystem account) throws PortException {
    AccountKind kind = SheetAccounts.kind(account);
    if (kind.state().isEmpty()) {
      return Map.of();
    }
    Steps.Done done =
        steps.run(
            account.connection(),
            kind.state().get(),
            Map.of("account", account.login(), "kind", account.kind()),
            Set.of());
    Map<String, String> state = new HashMap<>();
    for (String name : Set.of("sign-in-mode", "enabled")) {
      Object value = done.values().get(name);
      if (value != null) {
        state.put(name, kind.meant(name, value.toString()));
      }
    }
    return state;
  }
}
