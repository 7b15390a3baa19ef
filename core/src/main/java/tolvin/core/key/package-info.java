/**
 * Public keys: read strictly, recognised by fingerprint, written in one spelling only.
 *
 * <p>The way in is {@link tolvin.core.key.OneLine} for text and {@link tolvin.core.key.PublicBlob}
 * for wire bytes. Readers are total: any bytes give a key or a {@link tolvin.core.key.Refusal}.
 */
package tolvin.core.key;
