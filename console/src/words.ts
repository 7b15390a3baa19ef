/** The stages of a rotation, in order. */
export const STAGES = [
  "planned",
  "made",
  "placed",
  "supplied",
  "proven",
  "watched",
  "withdrawn",
  "done",
] as const;

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
  const size = Math.abs(seconds);
  const [count, unit] =
    size < 90
      ? [size, "s"]
      : size < 5400
        ? [Math.round(size / 60), "min"]
        : size < 129600
          ? [Math.round(size / 3600), "h"]
          : [Math.round(size / 86400), "days"];
  return seconds <= 0 ? `${count} ${unit} ago` : `in ${count} ${unit}`;
}

/** A fingerprint's digits in groups for the eye; its prefix apart. */
export function grouped(fingerprint: string): string[] {
  const digits = fingerprint.replace(/^SHA256:/, "");
  return digits.match(/.{1,8}/g) ?? [];
}

/** Whether text looks like a private half: it must not leave this machine. */
export function looksPrivate(text: string): boolean {
  return (
    /BEGIN[ \t]+([A-Z0-9]+[ \t]+)*PRIVATE[ \t]+KEY/i.test(text) ||
    /^[ \t]*Private-(Lines|MAC|Hash)[ \t]*:/m.test(text) ||
    text.includes("b3BlbnNzaC1rZXktdjE") ||
    (/"kty"/.test(text) && /"d"\s*:/.test(text))
  );
}

/** Two keys compared by pasting: the same, or where they begin to differ. */
export function compared(shown: string, pasted: string): { same: boolean; at: number } {
  const one = shown.replace(/^SHA256:/, "").replace(/=+$/, "");
  const other = pasted
    .trim()
    .replace(/^SHA256:/, "")
    .replace(/=+$/, "");
  let at = 0;
  while (at < one.length && at < other.length && one[at] === other[at]) {
    at++;
  }
  return { same: one === other, at };
}
