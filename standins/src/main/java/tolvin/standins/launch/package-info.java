/** The start command: everything on this machine, below one data directory. */
package tolvin.standins.launch;
