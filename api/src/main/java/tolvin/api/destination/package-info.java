/** Requests and answers about destinations. */
package tolvin.api.destination;
