/** What somebody runs to prove a key, with the OpenSSH that they have; for each system's shell. */

/** How the key is kept that is to be proven. */
export type Kept = "new-device" | "device" | "file";

export interface Step {
  say: string;
  run: string;
}

/** One word for a POSIX shell; the challenge holds line feeds and blanks, never a quote. */
export function quoted(text: string): string {
  return `'${text.replaceAll("'", "'\\''")}'`;
}

/** The commands, in their order. */
export function steps(kept: Kept, challenge: string, namespace: string, file: string): Step[] {
  const write = {
    say: "Write the challenge into a file.",
    run: `printf %s ${quoted(challenge)} > tolvin-challenge`,
  };
  const make = {
    say: "Plug the security key in and make a key on it; touch it when it blinks.",
    run: `ssh-keygen -t ed25519-sk -f ${file} -O challenge=tolvin-challenge -O write-attestation=tolvin-attestation`,
  };
  const sign = {
    say:
      kept === "file"
        ? "Sign the challenge with the key."
        : "Sign the challenge; touch the key once more.",
    run: `ssh-keygen -Y sign -n ${namespace} -f ${file} tolvin-challenge`,
  };
  return kept === "new-device" ? [write, make, sign] : [write, sign];
}

/** The files that come of it, sorted by what they are. */
export interface Brought {
  signature?: string;
  key?: string;
  attestation?: string;
  unknown: string[];
}

/** Sorts files by their content, not by their names. */
export async function sorted(files: Iterable<File>): Promise<Brought> {
  const brought: Brought = { unknown: [] };
  for (const file of files) {
    const bytes = new Uint8Array(await file.arrayBuffer());
    // One character per byte: a TextDecoder's latin1 is another code page.
    const text = Array.from(bytes, (byte) => String.fromCharCode(byte)).join("");
    if (text.includes("BEGIN SSH SIGNATURE")) {
      brought.signature = text;
    } else if (text.slice(4, 21).startsWith("ssh-sk-attest-v0")) {
      brought.attestation = btoa(text);
    } else if (/^(ssh-|ecdsa-|sk-)\S+ AAAA/.test(text.trim())) {
      brought.key = text.trim();
    } else {
      brought.unknown.push(file.name);
    }
  }
  return brought;
}
