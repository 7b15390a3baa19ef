/** Rows of registrations of many keys. */
package tolvin.service.record.registration;
