/**
 * What the HTTP API has everywhere: problems, pages, filters, the stream of events, the console.
 */
package tolvin.service.web;
