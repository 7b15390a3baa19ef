/** Persons and service accounts that keys belong to. */
package tolvin.service.identity;
