/** Keys on accounts, and trials there. */
package tolvin.service.placement;
