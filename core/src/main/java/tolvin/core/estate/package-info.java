/**
 * What is known of the estate at one moment: accounts, seats, the ties between them, and the
 * evidence with its times. A {@link tolvin.core.estate.Snapshot} is all that reasoning looks at.
 */
package tolvin.core.estate;
