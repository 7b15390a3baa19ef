/** Requests and answers about sheets. */
package tolvin.api.sheet;
