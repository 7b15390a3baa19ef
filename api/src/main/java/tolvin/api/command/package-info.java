/** Requests and answers about the commands that may be run on hosts. */
package tolvin.api.command;
