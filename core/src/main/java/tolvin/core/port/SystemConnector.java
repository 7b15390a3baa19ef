package tolvin.core.port;

/**
 * A connector of its own, for a system that a sheet cannot describe. It lies in a jar that names it
 * in {@code META-INF/services/tolvin.core.port.SystemConnector}, and passes the contract for
 * accounts; a sheet with {@code speaks: connector} says what its accounts can hold.
 */
public interface SystemConnector {
  /** The name that sheets call it by. */
  String name();

  /** Its accounts; every place that it is given is a {@link Place.OnSystem}. */
  AccountPort accounts();
}
