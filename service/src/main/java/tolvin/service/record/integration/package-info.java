/** Rows of integrations, seats and ties. */
package tolvin.service.record.integration;
