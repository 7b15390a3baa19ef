/** Requests and answers about schedule. */
package tolvin.api.schedule;
