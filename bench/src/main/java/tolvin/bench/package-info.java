/**
 * Benchmarks. Each prints ratios against a reference measured in the same run, and what was done.
 */
package tolvin.bench;
