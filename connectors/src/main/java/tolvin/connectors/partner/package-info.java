/** Partners, whose servers only they can change. */
package tolvin.connectors.partner;
