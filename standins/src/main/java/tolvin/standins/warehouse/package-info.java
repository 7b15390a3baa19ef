/** A simulated warehouse: so far, the door that signed assertions open. */
package tolvin.standins.warehouse;
