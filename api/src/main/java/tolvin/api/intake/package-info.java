/** Requests and answers about keys that are taken in. */
package tolvin.api.intake;
