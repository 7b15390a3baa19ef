/** Requests and answers about trial. */
package tolvin.api.trial;
