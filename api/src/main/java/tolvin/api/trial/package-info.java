/** Requests and answers about trials. */
package tolvin.api.trial;
