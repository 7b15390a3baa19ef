/** Requests and answers about the rulebook and its verdicts. */
package tolvin.api.rulebook;
