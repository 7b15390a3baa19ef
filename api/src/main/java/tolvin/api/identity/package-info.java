/** Requests and answers about identities. */
package tolvin.api.identity;
