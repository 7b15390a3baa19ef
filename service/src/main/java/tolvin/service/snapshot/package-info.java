/** What is known of an estate at one moment, for the core to judge. */
package tolvin.service.snapshot;
