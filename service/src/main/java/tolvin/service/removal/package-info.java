/** Whether a key may go, and what somebody takes away by hand. */
package tolvin.service.removal;
