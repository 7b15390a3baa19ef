/** Files of keys in quantity, held against running servers. */
package tolvin.bench.lines;
