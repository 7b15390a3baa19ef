/** Requests and answers about keys. */
package tolvin.api.key;
