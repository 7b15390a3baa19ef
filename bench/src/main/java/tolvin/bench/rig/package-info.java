/**
 * The rig: rotations of many clients on real servers, with faults of every kind at any moment,
 * watched by a program that reads the files themselves.
 */
package tolvin.bench.rig;
