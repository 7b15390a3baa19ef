/**
 * What SSH servers of different kinds can do: which keys files they read, what they say of
 * sign-ins.
 */
package tolvin.core.server;
