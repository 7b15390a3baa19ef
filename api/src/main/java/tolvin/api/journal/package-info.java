/** Requests and answers about the journal. */
package tolvin.api.journal;
