/**
 * What is really there against what should be there: one pure comparison for every account, whose
 * differences are findings, and the actions that settle them.
 */
package tolvin.core.sweep;
