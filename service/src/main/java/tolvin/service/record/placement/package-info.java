/** Rows of placements and trials. */
package tolvin.service.record.placement;
