/** Rows of rulebooks. */
package tolvin.service.record.rulebook;
