/** Requests and answers about the coffer. */
package tolvin.api.coffer;
