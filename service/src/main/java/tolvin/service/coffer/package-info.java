/**
 * The coffer: private keys and connection secrets, encrypted, each bound to its purpose and row.
 */
package tolvin.service.coffer;
