/** Rows of sweeps and findings. */
package tolvin.service.record.sweep;
