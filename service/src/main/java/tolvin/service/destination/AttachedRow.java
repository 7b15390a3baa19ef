package tolvin.service.destination;

import java.util.Map;
import java.util.Optional;
import tolvin.core.port.Attached;
import tolvin.service.record.destination.DestinationRow;

/** A destination as its family sees it, by its row; how Tolvin gets in is left to each kind. */
abstract class AttachedRow implements Attached {
  protected final DestinationRow row;

  AttachedRow(DestinationRow row) {
    this.row = row;
  }

  @Override
  public final String name() {
    return row.name;
  }

  @Override
  public final String host() {
    return row.host;
  }

  @Override
  public final int port() {
    return row.port;
  }

  @Override
  public final String address() {
    return row.address;
  }

  @Override
  public final Map<String, String> settings() {
    return row.settings;
  }

  @Override
  public final String user() {
    return row.connectUser;
  }

  @Override
  public final Optional<String> managementLogin() {
    return Optional.ofNullable(row.managementLogin);
  }

  @Override
  public final String keysPath() {
    return row.keysPath;
  }

  /** Never shows a secret. */
  @Override
  public final String toString() {
    return row.name;
  }
}
