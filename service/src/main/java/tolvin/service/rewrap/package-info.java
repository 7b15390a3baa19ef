/** Exchanging the master key of the coffer. */
package tolvin.service.rewrap;
