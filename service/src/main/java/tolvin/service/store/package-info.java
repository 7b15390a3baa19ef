/** What every store needs: the database's clock, ids, rows by id, pages by cursor. */
package tolvin.service.store;
