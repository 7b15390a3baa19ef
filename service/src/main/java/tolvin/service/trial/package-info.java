/** Sign-ins that are tried, by Tolvin or by holders on their own machines, and explained. */
package tolvin.service.trial;
