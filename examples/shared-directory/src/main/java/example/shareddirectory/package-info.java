/** An example of a connector that lies in a jar of its own. */
package example.shareddirectory;
