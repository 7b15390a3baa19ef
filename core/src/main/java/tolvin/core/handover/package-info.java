/** Hand-overs: what people elsewhere are asked to do. */
package tolvin.core.handover;
