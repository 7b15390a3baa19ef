/** Requests and answers about rulebook. */
package tolvin.api.rulebook;
