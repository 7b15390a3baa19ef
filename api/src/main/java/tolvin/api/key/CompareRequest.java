package tolvin.api.key;

/** A fingerprint in any notation, or a key in any form. */
public record CompareRequest(String text) {}
