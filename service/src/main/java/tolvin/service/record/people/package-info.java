/** Rows of users, sessions and tokens. */
package tolvin.service.record.people;
