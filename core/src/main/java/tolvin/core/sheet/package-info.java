/**
 * The system sheet: the YAML file that tells Tolvin what a system can do and how to talk to it.
 * Here it is read, checked and explained; connectors follow it.
 */
package tolvin.core.sheet;
