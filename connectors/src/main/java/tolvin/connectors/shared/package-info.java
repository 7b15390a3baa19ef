/** What several connectors share. */
package tolvin.connectors.shared;
