/** Requests and answers about key. */
package tolvin.api.key;
