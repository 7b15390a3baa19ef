/** Requests and answers about proofs. */
package tolvin.api.proof;
