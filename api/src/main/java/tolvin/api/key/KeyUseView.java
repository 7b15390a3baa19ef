package tolvin.api.key;

import java.time.Instant;

/** A use of a key that a destination reported. */
public record KeyUseView(
    String account, String address, Instant firstAt, Instant lastAt, long count) {}
