/** Requests and answers about rotations. */
package tolvin.api.rotation;
