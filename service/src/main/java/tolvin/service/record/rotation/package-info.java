/** Rows of rotations and attempts. */
package tolvin.service.record.rotation;
