/** Requests and answers about handover. */
package tolvin.api.handover;
