/** Rotations: planned, run by the runner, put back. */
package tolvin.service.rotation;
