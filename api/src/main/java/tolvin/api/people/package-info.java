/** Requests and answers about people. */
package tolvin.api.people;
