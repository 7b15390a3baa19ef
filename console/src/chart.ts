import type { Of } from "./api/client";

/** A piece of a bar: from where to where, and whether a sign-in would work there. */
export interface Piece {
  from: number;
  until: number;
  kind: "solid" | "hollow";
}

interface Limits {
  left: number;
  right: number;
}

function reach(span: Of<"SpanView"> | undefined, limits: Limits): [number, number] | undefined {
  if (!span) {
    return undefined;
  }
  const from = span.from ? Date.parse(span.from) : limits.left;
  const until = span.until ? Date.parse(span.until) : limits.right;
  const clipped: [number, number] = [Math.max(from, limits.left), Math.min(until, limits.right)];
  return clipped[0] < clipped[1] ? clipped : undefined;
}

/**
 * The pieces of one key's bar: solid where the seat offers it and the account accepts it, hollow
 * where only one of both holds.
 */
export function pieces(
  accepted: Of<"SpanView"> | undefined,
  offered: Of<"SpanView"> | undefined,
  limits: Limits,
): Piece[] {
  const one = reach(accepted, limits);
  const other = reach(offered, limits);
  const cuts = [...new Set([...(one ?? []), ...(other ?? [])])].sort((a, b) => a - b);
  const covers = (span: [number, number] | undefined, at: number) =>
    span !== undefined && span[0] <= at && at < span[1];
  const result: Piece[] = [];
  for (let i = 0; i + 1 < cuts.length; i++) {
    const both = covers(one, cuts[i]) && covers(other, cuts[i]);
    const either = covers(one, cuts[i]) || covers(other, cuts[i]);
    if (either) {
      result.push({ from: cuts[i], until: cuts[i + 1], kind: both ? "solid" : "hollow" });
    }
  }
  return result;
}

/** The spans in which no bar of a row is solid: where the law was broken. */
export function holes(rows: Piece[][], limits: Limits): [number, number][] {
  const solid = rows
    .flat()
    .filter((piece) => piece.kind === "solid")
    .sort((a, b) => a.from - b.from);
  const found: [number, number][] = [];
  let at = limits.left;
  for (const piece of solid) {
    if (piece.from > at) {
      found.push([at, piece.from]);
    }
    at = Math.max(at, piece.until);
  }
  if (at < limits.right) {
    found.push([at, limits.right]);
  }
  return found;
}
