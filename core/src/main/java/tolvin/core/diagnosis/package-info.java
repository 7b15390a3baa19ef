/**
 * Why a sign-in failed: from what client and server said, what lies on both machines and what is on
 * record, the causes, most likely first, each with its evidence and the remedy. Sources are ssh(1),
 * sshd(8), sshd_config(5) and what OpenSSH's programs print.
 */
package tolvin.core.diagnosis;
