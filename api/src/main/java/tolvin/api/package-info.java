/**
 * What service and client say to each other over the HTTP API: a {@code …Request} comes in, a
 * {@code …View} goes out. Constants are written in lower case with hyphens (see {@link
 * tolvin.core.word.Words}), times in ISO 8601 and UTC, durations in ISO 8601.
 */
package tolvin.api;
