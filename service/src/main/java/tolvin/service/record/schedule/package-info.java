/** Rows of freezes. */
package tolvin.service.record.schedule;
