/** Requests and answers about rotation. */
package tolvin.api.rotation;
