/** Reading texts in YAML that people write: with line numbers, without tags, bounded. */
package tolvin.core.yaml;
