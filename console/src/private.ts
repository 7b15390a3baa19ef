/**
 * Recognises private keys, so that they never leave this machine: the same marks that the service
 * looks for, since one that reaches the service has been sent already. Both are held to the vectors
 * in core/src/test/resources/private-keys.json.
 */

const ARMOUR = /BEGIN[ \t]+(?:[A-Z0-9]+[ \t]+){0,4}PRIVATE[ \t]+KEY/i;
const SECTION = /^[ \t]*Private-(?:Lines|MAC|Hash)[ \t]*:/m;
const OPENSSH = "b3BlbnNzaC1rZXktdjE";
const WRAPPED = /LS0tLS1CRUdJTi|0tLS0tQkVHSU4g|tLS0tLUJFR0lOI/g;
const BETWEEN = /[\s>|"'`\\,]+/g;
const RUN = /[A-Za-z0-9+/]{16}[A-Za-z0-9+/\r\n]*={0,2}/g;

/** Whether bytes carry a private key anywhere. */
export function carriesPrivateKey(content: Uint8Array): boolean {
  return isPrivateWire(content) || isPrivateDer(content) || looksPrivate(asText(content));
}

/** Whether text carries a private key anywhere. */
function looksPrivate(text: string): boolean {
  return (
    ARMOUR.test(text) ||
    SECTION.test(text) ||
    text.includes("openssh-key-v1\0") ||
    text.includes("SSH PRIVATE KEY FILE FORMAT") ||
    text.includes(OPENSSH) ||
    isPrivateJwk(text) ||
    bareBody(text) ||
    wrappedArmour(text) ||
    broken(text)
  );
}

/** UTF-16 by its mark or its zero bytes, otherwise one character per byte. */
function asText(content: Uint8Array): string {
  const [a, b, c, d] = content;
  const little = (a === 0xff && b === 0xfe) || (b === 0 && d === 0);
  const big = (a === 0xfe && b === 0xff) || (a === 0 && c === 0);
  return new TextDecoder(little ? "utf-16le" : big ? "utf-16be" : "latin1").decode(content);
}

function isPrivateJwk(text: string): boolean {
  return /"kty"\s*:/.test(text) && /"(?:d|k)"\s*:\s*"/.test(text);
}

/** A key in the wire format (RFC 4251 section 5) with more fields than its public ones. */
function isPrivateWire(wire: Uint8Array): boolean {
  const word = field(wire, 0);
  if (word < 0 || word > 32) {
    return false;
  }
  const type = String.fromCharCode(...wire.slice(4, word));
  if (type === "ssh-ed25519") {
    return field(wire, word) === word + 4 + 64;
  }
  const fields = type === "ssh-dss" ? 4 : /^(ssh-rsa|ecdsa-sha2-nistp.*)$/.test(type) ? 2 : 0;
  let at = word;
  for (let i = 0; i < fields; i++) {
    at = field(wire, at);
  }
  return fields > 0 && at >= 0 && field(wire, at) > at + 4;
}

/** The end of a field that begins at an offset; -1 if there is none. */
function field(wire: Uint8Array, at: number): number {
  if (at < 0 || at + 4 > wire.length) {
    return -1;
  }
  const length = new DataView(wire.buffer, wire.byteOffset + at, 4).getUint32(0);
  return length > wire.length - at - 4 ? -1 : at + 4 + length;
}

/** The first elements of a DER SEQUENCE, as PKCS#8, PKCS#1, SEC1 and PKCS#12 have them. */
function isPrivateDer(der: Uint8Array): boolean {
  if (der.length < 32 || der[0] !== 0x30) {
    return false;
  }
  const at = content(der, 0);
  if (der[at] === 2 && der[at + 1] === 1) {
    const version = der[at + 2] ?? 0;
    const next = der[at + 3];
    return (
      (next === 0x30 && [0, 1, 3].includes(version)) ||
      (next === 2 && version < 2) ||
      (next === 4 && version === 1)
    );
  }
  const inner = der[at] === 0x30 ? content(der, at) : 0;
  const pkcs = [0x2a, 0x86, 0x48, 0x86, 0xf7, 0x0d, 0x01];
  return (
    inner > 0 &&
    der[inner] === 6 &&
    pkcs.every((value, i) => der[inner + 2 + i] === value) &&
    [5, 12].includes(der[inner + 9] ?? 0)
  );
}

function content(der: Uint8Array, at: number): number {
  const length = der[at + 1] ?? 0;
  return length < 0x80 ? at + 2 : at + 2 + (length & 0x7f);
}

function bareBody(text: string): boolean {
  for (const [run] of text.matchAll(RUN)) {
    if (run.startsWith("M")) {
      const head = run.replace(/[\r\n]/g, "").slice(0, 4096);
      const der = decoded(head.slice(0, head.length - (head.length % 4)));
      if (der && isPrivateDer(der)) {
        return true;
      }
    }
  }
  return false;
}

function wrappedArmour(text: string): boolean {
  for (const found of text.matchAll(WRAPPED)) {
    const digits = text.slice(found.index, found.index + 96).replace(/[^A-Za-z0-9+/]/g, "");
    for (let skip = 0; skip < 4; skip++) {
      const part = digits.slice(skip, digits.length - ((digits.length - skip) % 4));
      if (asText(decoded(part) ?? new Uint8Array()).includes("PRIVATE")) {
        return true;
      }
    }
  }
  return false;
}

function broken(text: string): boolean {
  if (!text.includes("BEGIN") && !text.includes("b3Bl") && !text.includes("b3B")) {
    return false;
  }
  const joined = text.replace(BETWEEN, "");
  return (
    (joined.includes("PRIVATEKEY-----") && joined.includes("-----BEGIN")) ||
    joined.includes(OPENSSH)
  );
}

function decoded(base64: string): Uint8Array | undefined {
  try {
    return Uint8Array.from(atob(base64), (c) => c.charCodeAt(0));
  } catch {
    return undefined;
  }
}
