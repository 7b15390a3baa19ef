/** When a key is due, with a reason for every date. */
package tolvin.core.schedule;
