package tolvin.cli;

import java.util.List;
import java.util.UUID;
import java.util.concurrent.locks.LockSupport;
import tolvin.api.mine.OwnAccountView;
import tolvin.api.mine.OwnKeyView;
import tolvin.api.mine.OwnPlacementRequest;
import tolvin.api.mine.OwnPlacementView;
import tolvin.api.mine.OwnView;
import tolvin.api.people.SessionView;
import tolvin.api.placement.PlacementRequest;
import tolvin.api.placement.PlacementView;
import tolvin.core.estate.PlacementState;
import tolvin.core.people.UserRole;

/** What somebody who is no administrator may ask for: their own keys and accounts. */
final class Own {
  private static final long PATIENCE = 60_000_000_000L;

  private Own() {}

  /** How far a placement is, and what stands in its way. */
  record Placed(UUID id, PlacementState state, String reason) {}

  static boolean isAdministrator(Service service) throws Refused {
    return service.get("/session", SessionView.class).role() == UserRole.ADMINISTRATOR;
  }

  static OwnView own(Service service) throws Refused {
    return service.get("/mine", OwnView.class);
  }

  /** The id of LOGIN@DESTINATION, among one's own accounts for those who are no administrator. */
  static UUID account(Service service, String text) throws Refused {
    if (isAdministrator(service)) {
      return AccountCommands.find(service, text).id();
    }
    for (OwnAccountView account : own(service).accounts()) {
      if (account.account().equals(text) || account.id().toString().equals(text)) {
        return account.id();
      }
    }
    throw new Refused("“" + text + "” is none of your accounts. See: tolvin key mine");
  }

  /** The id of a key, among one's own for those who are no administrator. */
  static UUID key(Service service, String text) throws Refused {
    if (isAdministrator(service)) {
      return KeyCommands.find(service, text).id();
    }
    for (OwnKeyView key : own(service).keys()) {
      if (key.id().toString().equals(text) || Service.isNamed(key.fingerprint(), text)) {
        return key.id();
      }
    }
    throw new Refused("“" + text + "” is none of your keys. See: tolvin key mine");
  }

  /** Places a key and waits until it stands there, or does not. */
  static Placed place(Service service, UUID key, String account, String title) throws Refused {
    boolean administrator = isAdministrator(service);
    UUID on = account(service, account);
    Placed placed =
        administrator
            ? placed(
                service.post(
                    "/placements",
                    new PlacementRequest(key, on, title, null, null, null, null, null),
                    PlacementView.class))
            : placed(
                service.post(
                    "/mine/placements",
                    new OwnPlacementRequest(key, on, title),
                    OwnPlacementView.class));
    long end = System.nanoTime() + PATIENCE;
    while (placed.state() == PlacementState.WANTED && System.nanoTime() < end) {
      LockSupport.parkNanos(200_000_000L);
      placed = administrator ? seen(service, placed.id()) : ownSeen(service, placed);
    }
    return placed;
  }

  private static Placed seen(Service service, UUID id) throws Refused {
    return placed(service.get("/placements/" + id, PlacementView.class));
  }

  private static Placed ownSeen(Service service, Placed before) throws Refused {
    List<OwnKeyView> keys = own(service).keys();
    return keys.stream()
        .flatMap(key -> key.placements().stream())
        .filter(there -> there.id().equals(before.id()))
        .findFirst()
        .map(Own::placed)
        .orElse(before);
  }

  private static Placed placed(PlacementView view) {
    return new Placed(view.id(), view.state(), view.reason());
  }

  private static Placed placed(OwnPlacementView view) {
    return new Placed(view.id(), view.state(), view.reason());
  }
}
