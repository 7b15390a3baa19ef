package tolvin.api.proof;

/** A maker's certificate, in PEM. */
public record TrustAnchorRequest(String certificate) {}
