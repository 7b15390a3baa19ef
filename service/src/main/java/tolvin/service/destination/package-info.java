/** Destinations, their host keys, accounts and feeds of uses. */
package tolvin.service.destination;
