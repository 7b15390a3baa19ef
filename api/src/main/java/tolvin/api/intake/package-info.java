/** Requests and answers about intake. */
package tolvin.api.intake;
