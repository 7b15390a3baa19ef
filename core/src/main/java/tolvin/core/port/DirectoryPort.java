package tolvin.core.port;

/** Looks at a directory as such. */
public interface DirectoryPort {
  /**
   * Looks whether it can be worked with.
   *
   * @throws PortException if it cannot be reached, or does not let Tolvin in
   */
  void look(DirectoryServer directory) throws PortException;
}
