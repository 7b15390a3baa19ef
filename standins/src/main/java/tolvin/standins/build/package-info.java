/** A simulated build system: jobs, and a credential store that never gives back what it got. */
package tolvin.standins.build;
