/**
 * May a key stop working on an account? One answer for every way in which that can happen, except
 * for a rotation's own withdrawals, which know more: {@link tolvin.core.rotation.Guards}.
 */
package tolvin.core.removal;
