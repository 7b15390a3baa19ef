/** Lines of authorized_keys in quantity, held against a running OpenSSH server. */
package tolvin.bench.lines;
