/** Placing many keys with one decision: what is begun when, and what is worth a second look. */
package tolvin.core.registration;
