/** Keys that are values of an attribute in a directory (LDAP, RFC 4511). */
package tolvin.connectors.directory;
