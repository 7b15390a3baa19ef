package tolvin.core.port;

import java.util.List;

/** Tells a client of the host keys that it may be shown. */
public interface KnownHostsPort {

  /**
   * Adds lines to a file of known hosts, if they are not there yet; everything else in it stays
   * byte for byte.
   *
   * @param where the file
   * @param lines whole lines
   * @return the lines that were added
   * @throws PortException if they are not there afterwards
   */
  List<String> add(Place.OverSsh where, List<String> lines, Lease lease) throws PortException;
}
