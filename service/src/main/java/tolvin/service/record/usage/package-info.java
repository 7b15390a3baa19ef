/** Rows of feeds and uses. */
package tolvin.service.record.usage;
