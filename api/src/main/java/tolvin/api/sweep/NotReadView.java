package tolvin.api.sweep;

/** An account that could not be read. */
public record NotReadView(String account, String reason) {}
