/** Rows of keys and of what is known of them. */
package tolvin.service.record.key;
