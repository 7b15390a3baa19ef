/** Host keys: compared, rotated, brought to the clients that check them. */
package tolvin.service.hostkey;
