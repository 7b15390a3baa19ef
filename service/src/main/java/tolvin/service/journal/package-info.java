/** The append-only journal, written with each change and sealed in order; and the outbox. */
package tolvin.service.journal;
