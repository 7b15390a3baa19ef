/**
 * What the core needs of the world outside; connectors implement it. Every effect can be repeated
 * safely and comes back with what was read afterwards, never with a mere "done".
 */
package tolvin.core.port;
