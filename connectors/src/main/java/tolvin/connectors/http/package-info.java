/** Systems that are spoken to over HTTP. */
package tolvin.connectors.http;
