/** Keys that are files in a git repository, changed by commit and push over SSH. */
package tolvin.connectors.git;
