/** Requests and answers about hand-overs. */
package tolvin.api.handover;
