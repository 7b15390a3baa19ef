/** The rulebook: its versions, its preview, and the verdicts on what is stored. */
package tolvin.service.rulebook;
