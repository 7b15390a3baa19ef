/**
 * Private keys in memory: made, signed with, written to and read from the files that OpenSSH keeps
 * them in. No cipher is written here; {@link tolvin.core.pair.SectionCipher} is what a connector
 * lends.
 */
package tolvin.core.pair;
