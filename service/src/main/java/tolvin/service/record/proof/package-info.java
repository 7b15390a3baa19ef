/** Rows of proofs, challenges and trust anchors. */
package tolvin.service.record.proof;
