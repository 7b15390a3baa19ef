package tolvin.api;

/** Why it is given up. */
public record ReasonRequest(String reason) {}
