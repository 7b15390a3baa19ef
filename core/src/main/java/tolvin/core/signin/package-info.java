/** Sign-ins as an OpenSSH server's log tells them. */
package tolvin.core.signin;
