/**
 * A simulated hardware security key: it makes keys that never leave it, wants to be touched and
 * asks for a PIN, attests under a made-up maker's certificate, can be unplugged, and signs for the
 * machine's own OpenSSH, as an agent and behind its security key helper.
 */
package tolvin.standins.securitykey;
