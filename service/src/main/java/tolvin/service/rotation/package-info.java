/** Rotations: planned, run by the runner, rolled back. */
package tolvin.service.rotation;
