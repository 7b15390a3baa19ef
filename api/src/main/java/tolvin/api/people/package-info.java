/** Requests and answers about sessions, users and tokens. */
package tolvin.api.people;
