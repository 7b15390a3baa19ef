/**
 * Work that the service does by itself: when each piece is due, and on which instance it is done.
 */
package tolvin.service.job;
