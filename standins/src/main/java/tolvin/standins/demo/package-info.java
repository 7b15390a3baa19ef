/** Skerrymoor Ferries: a made-up island ferry operator whose estate the demo is about. */
package tolvin.standins.demo;
