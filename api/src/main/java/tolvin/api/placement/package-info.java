/** Requests and answers about placements. */
package tolvin.api.placement;
