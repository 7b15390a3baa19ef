/** Requests and answers about identity. */
package tolvin.api.identity;
