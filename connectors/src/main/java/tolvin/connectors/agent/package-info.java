/** Asks the agent of the machine for its keys and for signatures. */
package tolvin.connectors.agent;
