/** What is closed about the people who sign in to Tolvin. */
package tolvin.core.people;
