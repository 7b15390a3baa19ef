/**
 * Real SSH servers as destinations and as hosts of seats: {@code authorized_keys} and private files
 * over SFTP, trials by signing in, uses from the server's log.
 */
package tolvin.connectors.ssh;
