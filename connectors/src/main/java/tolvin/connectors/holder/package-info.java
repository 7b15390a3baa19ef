/**
 * What can be done and seen on a holder's own machine: its own OpenSSH, its private files, its
 * client configuration. Nothing private leaves these classes.
 */
package tolvin.connectors.holder;
