/** Real servers on loopback, started and stopped as child processes: PostgreSQL and OpenSSH. */
package tolvin.standins.local;
