/** Rows of the commands that may be run on hosts. */
package tolvin.service.record.command;
