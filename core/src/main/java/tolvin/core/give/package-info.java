/**
 * Keys given out: in every open form, and in the files that servers and clients read them from.
 * What is written here is what OpenSSH and others read, byte for byte.
 */
package tolvin.core.give;
