package tolvin.api.coffer;

/**
 * What an exchange of the master key did.
 *
 * @param entries how many secrets are wrapped by the new key now
 */
public record RewrappedView(int entries) {}
