/** Keys: registered, looked at, and what hangs on them. */
package tolvin.service.key;
