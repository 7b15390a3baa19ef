/** Requests and answers about sheet. */
package tolvin.api.sheet;
