/** Requests and answers about what is one's own. */
package tolvin.api.mine;
