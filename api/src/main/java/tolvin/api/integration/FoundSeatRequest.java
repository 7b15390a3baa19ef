package tolvin.api.integration;

/**
 * A private key that a holder's client found on a machine that Tolvin does not reach.
 *
 * @param machine the machine's name
 * @param path the file
 * @param fingerprint the key in it, which must be registered
 * @param mode its permission bits in octal
 * @param encrypted whether it has a passphrase
 */
public record FoundSeatRequest(
    String machine, String path, String fingerprint, String mode, boolean encrypted) {}
