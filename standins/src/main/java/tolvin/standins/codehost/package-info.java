/** A simulated code host: an API for keys, and real git over SSH behind it. */
package tolvin.standins.codehost;
