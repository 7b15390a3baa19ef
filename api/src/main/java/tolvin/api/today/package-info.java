/** Requests and answers about what needs a person today. */
package tolvin.api.today;
