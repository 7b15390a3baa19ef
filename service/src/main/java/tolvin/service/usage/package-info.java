/** Uses of keys, as logs and destinations tell them. */
package tolvin.service.usage;
