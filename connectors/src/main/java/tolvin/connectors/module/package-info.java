/** Keys inside a PKCS#11 module, by the Java platform's own provider. */
package tolvin.connectors.module;
