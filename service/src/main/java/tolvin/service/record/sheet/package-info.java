/** Rows of sheets. */
package tolvin.service.record.sheet;
