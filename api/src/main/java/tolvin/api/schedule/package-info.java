/** Requests and answers about freezes. */
package tolvin.api.schedule;
