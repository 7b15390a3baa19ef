/** Requests and answers about registrations of many keys. */
package tolvin.api.registration;
