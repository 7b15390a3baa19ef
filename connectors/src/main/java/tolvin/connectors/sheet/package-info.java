/** Systems that a system sheet describes, over HTTP or JDBC. */
package tolvin.connectors.sheet;
