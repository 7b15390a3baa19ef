/** The journal's chain: entries linked by hashes, so that none can be changed or dropped unseen. */
package tolvin.core.journal;
