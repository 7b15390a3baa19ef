/**
 * The {@code authorized_keys} file (OpenSSH sshd(8)): read and edited without touching a foreign
 * byte.
 */
package tolvin.core.authorized;
