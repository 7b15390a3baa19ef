/** What connectors promise, as tests that every connector has to pass. */
package tolvin.core.port.contract;
