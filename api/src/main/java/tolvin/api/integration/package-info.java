/** Requests and answers about integrations. */
package tolvin.api.integration;
