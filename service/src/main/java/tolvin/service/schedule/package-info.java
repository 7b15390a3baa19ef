/** Cadences, due dates and freezes; what starts by itself. */
package tolvin.service.schedule;
