/** Rows of hand-overs. */
package tolvin.service.record.handover;
