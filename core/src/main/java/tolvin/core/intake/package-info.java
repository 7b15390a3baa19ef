/**
 * Takes whatever somebody pasted, dropped or mailed apart into keys: every open form, mended where
 * that is safe and said, refused with a reason where it is not, and asked where two readings are
 * possible.
 */
package tolvin.core.intake;
