/** Requests and answers about integration. */
package tolvin.api.integration;
