/** Reading what is really there, the findings that come of it, and the actions that settle them. */
package tolvin.service.sweep;
