/**
 * The open notations of a public key besides the one line: each read strictly and written in its
 * one spelling. SPKI and PKCS#1 in DER and PEM, RFC 4716, JWK, X.509, OpenSSH certificates.
 */
package tolvin.core.form;
