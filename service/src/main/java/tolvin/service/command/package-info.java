/** Which commands may be run on hosts. */
package tolvin.service.command;
