/** Rows of accounts. */
package tolvin.service.record.account;
