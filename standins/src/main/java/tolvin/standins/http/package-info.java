/** What the simulated systems that speak HTTP have in common. */
package tolvin.standins.http;
