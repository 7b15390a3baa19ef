/** Requests and answers about today. */
package tolvin.api.today;
