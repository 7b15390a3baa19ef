/** The command-line client: nouns and verbs over the HTTP API, and what works without a service. */
package tolvin.cli;
