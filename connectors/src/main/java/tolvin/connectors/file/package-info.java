/** Private files: what encrypts and decrypts them, by well-known libraries. */
package tolvin.connectors.file;
