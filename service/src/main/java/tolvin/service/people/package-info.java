/** Who may come in: users, sessions of the console, API tokens, roles. */
package tolvin.service.people;
