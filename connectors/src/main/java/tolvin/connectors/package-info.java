/** Implements the core's ports against real systems. */
package tolvin.connectors;
