/** Placing many keys with one decision. */
package tolvin.service.registration;
