package tolvin.api;

import org.jspecify.annotations.Nullable;

/**
 * A refusal (RFC 9457).
 *
 * @param type a URI that stands for the kind of problem
 * @param title the kind in words
 * @param status the HTTP status
 * @param detail what is wrong here
 * @param remedy what to do
 */
public record ProblemView(
    String type, String title, int status, String detail, @Nullable String remedy) {}
