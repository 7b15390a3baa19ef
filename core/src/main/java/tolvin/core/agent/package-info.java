/** The messages between a program and an agent that signs for it. */
package tolvin.core.agent;
