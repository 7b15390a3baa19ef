/** Requests and answers about mine. */
package tolvin.api.mine;
