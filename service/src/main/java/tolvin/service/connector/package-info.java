/** The connectors behind the core's ports. */
package tolvin.service.connector;
