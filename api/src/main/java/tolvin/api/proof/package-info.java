/** Requests and answers about proof. */
package tolvin.api.proof;
