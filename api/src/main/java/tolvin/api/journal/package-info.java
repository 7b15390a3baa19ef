/** Requests and answers about journal. */
package tolvin.api.journal;
