package tolvin.api.today;

import tolvin.api.rotation.RotationView;

/**
 * Rotations that ended; those that Tolvin did by itself for one identity, with the same outcome,
 * are one.
 *
 * @param rotation the last of them
 * @param times how many there were
 */
public record DoneView(RotationView rotation, int times) {}
