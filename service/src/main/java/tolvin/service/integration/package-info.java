/** Integrations, their seats and ties. */
package tolvin.service.integration;
