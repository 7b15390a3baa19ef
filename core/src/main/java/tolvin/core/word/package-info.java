/** How closed sets are written for people and programs. */
package tolvin.core.word;
