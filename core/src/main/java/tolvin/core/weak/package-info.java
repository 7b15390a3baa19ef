/** Keys whose numbers are weak although they are well-formed. */
package tolvin.core.weak;
