/** The stages of a rotation, in order. */
export const STAGES = [
  "planned",
  "generated",
  "placed",
  "supplied",
  "proven",
  "watched",
  "withdrawn",
  "done",
] as const;

/** A constant of the API in the middle of a sentence, such as "rolled back". */
export function said(constant: string | undefined): string {
  return (constant ?? "").replaceAll("-", " ");
}

/** A moment as people read it, in the browser's time zone. */
export function moment(value: string | undefined): string {
  if (!value) {
    return "";
  }
  const date = new Date(value);
  const day = date.toLocaleDateString("en-GB", { day: "numeric", month: "short", year: "numeric" });
  return `${day} ${date.toLocaleTimeString("en-GB")}`;
}

/** How long ago, or how soon, in one word pair. */
export function distance(value: string | undefined, now: number): string {
  if (!value) {
    return "never";
  }
  const seconds = Math.round((Date.parse(value) - now) / 1000);
  const size = inWords(Math.abs(seconds));
  return seconds <= 0 ? `${size} ago` : `in ${size}`;
}

function inWords(size: number): string {
  const [count, unit] =
    size < 90
      ? [size, "s"]
      : size < 5400
        ? [Math.round(size / 60), "min"]
        : size < 129600
          ? [Math.round(size / 3600), "h"]
          : [Math.round(size / 86400), "days"];
  return `${count} ${unit}`;
}

/** The seconds of a duration in ISO 8601, as the service writes them; 0 if there is none. */
export function seconds(duration: string | undefined): number {
  const parts = /^P(?:(\d+)D)?(?:T(?:(\d+)H)?(?:(\d+)M)?(?:([\d.]+)S)?)?$/.exec(duration ?? "");
  const [days, hours, minutes, rest] = (parts ?? []).slice(1).map((n) => Number(n ?? 0));
  return (days ?? 0) * 86400 + (hours ?? 0) * 3600 + (minutes ?? 0) * 60 + (rest ?? 0);
}

/** A duration as people read it. */
export function span(duration: string | undefined): string {
  return duration ? inWords(seconds(duration)) : "";
}

/** A fingerprint's digits in groups for the eye; its prefix apart. */
export function grouped(fingerprint: string): string[] {
  const digits = fingerprint.replace(/^SHA256:/, "");
  return digits.match(/.{1,8}/g) ?? [];
}

/** How two keys compare. */
export interface Compared {
  same: boolean;
  /** The first character that differs, from 0, prefix and colons aside. */
  at: number;
  /** Whether the pasted text is in a notation of fingerprints at all. */
  known: boolean;
}

/**
 * A key's fingerprints compared with a pasted one: SHA-256 in base64 or hex, MD5 with or without
 * colons, each with or without its prefix.
 */
export function compared(sha256: string, md5: string, pasted: string): Compared {
  const text = /(?:SHA256|MD5):\S+/i.exec(pasted)?.[0] ?? pasted.trim();
  const bare = text.replace(/^(?:SHA256|MD5):/i, "").replace(/=+$/, "");
  const hex = bare.replace(/[:\s]/g, "").toLowerCase();
  const isHex = /^[0-9a-f]+$/.test(hex) && (bare.includes(":") || hex.length >= 32);
  const base64 = sha256.replace(/^SHA256:/, "").replace(/=+$/, "");
  const [one, other] = !isHex
    ? [base64, bare]
    : hex.length > 34
      ? [toHex(base64), hex]
      : [md5.replace(/^MD5:/, "").replaceAll(":", ""), hex];
  let at = 0;
  while (at < one.length && at < other.length && one[at] === other[at]) {
    at++;
  }
  return { same: one === other, at, known: isHex || /^[A-Za-z0-9+/]+$/.test(bare) };
}

function toHex(base64: string): string {
  return Array.from(atob(base64), (c) => c.charCodeAt(0).toString(16).padStart(2, "0")).join("");
}

/** Whether a search is a fingerprint or the better part of one. */
export function isFingerprint(text: string): boolean {
  return (
    /^(?:SHA256|MD5):\S{6,}$/i.test(text.trim()) ||
    /^(?:[0-9a-f]{2}:){5,15}[0-9a-f]{2}$/i.test(text.trim()) ||
    /^[A-Za-z0-9+/]{40,44}=?$/.test(text.trim())
  );
}

/** A verdict's outcome with its sign, which does not need colour. */
export function outcome(word: string | undefined): string {
  switch (word) {
    case "accepted":
      return "✓ accepted";
    case "accepted-with-warnings":
      return "! accepted with warnings";
    case "refused":
      return "✗ refused";
    default:
      return "";
  }
}
