/** Requests and answers about sweeps. */
package tolvin.api.sweep;
