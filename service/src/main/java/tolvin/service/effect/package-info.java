/** Effects: what is done outside, and the record of each attempt. */
package tolvin.service.effect;
