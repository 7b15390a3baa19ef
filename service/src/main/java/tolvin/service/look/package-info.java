/** Looks that nobody asked for: at new accounts, at what is missing, at seats. */
package tolvin.service.look;
