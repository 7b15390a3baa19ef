/** Accounts: added, changed, and what was read of them. */
package tolvin.service.account;
