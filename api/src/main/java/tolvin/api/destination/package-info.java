/** Requests and answers about destination. */
package tolvin.api.destination;
