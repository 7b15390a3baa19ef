/** What needs a person now. */
package tolvin.service.today;
