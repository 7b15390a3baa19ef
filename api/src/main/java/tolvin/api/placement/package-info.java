/** Requests and answers about placement. */
package tolvin.api.placement;
