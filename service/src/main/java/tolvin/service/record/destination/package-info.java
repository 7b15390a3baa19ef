/** Rows of destinations and their host keys. */
package tolvin.service.record.destination;
