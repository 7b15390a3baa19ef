/** The intake: what people paste and drop, understood, judged, and registered in thousands. */
package tolvin.service.intake;
