/** Requests and answers about sweep. */
package tolvin.api.sweep;
