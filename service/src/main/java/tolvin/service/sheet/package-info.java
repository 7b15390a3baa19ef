/** System sheets, and trying them out on a real account. */
package tolvin.service.sheet;
