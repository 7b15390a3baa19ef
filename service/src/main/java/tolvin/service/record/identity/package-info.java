/** Rows of identities. */
package tolvin.service.record.identity;
