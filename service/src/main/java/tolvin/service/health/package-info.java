/** Health of destinations, and tests of their connections. */
package tolvin.service.health;
