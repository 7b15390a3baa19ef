/** What is wrong with a request, as its sender is told. */
package tolvin.service.problem;
