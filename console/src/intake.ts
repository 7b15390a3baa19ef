import type { Of } from "./api/client";

/** A piece with where it came from, and what became of it. */
export type Shown = Of<"PieceView"> & { file: string; result?: Of<"LineResultView"> };

/** All pieces, those of a chunk with their results; a result's index counts within its chunk. */
export function merged(all: Shown[], chunk: Shown[], results: Of<"LineResultView">[]): Shown[] {
  const byPiece = new Map<Shown, Of<"LineResultView">>();
  results.forEach((result) => {
    const piece = chunk[result.index ?? -1];
    if (piece) {
      byPiece.set(piece, result);
    }
  });
  return all.map((piece) => {
    const result = byPiece.get(piece);
    return result ? { ...piece, result } : piece;
  });
}

/** A piece with its file's name, and with what is to be said of that name. */
export function named(piece: Of<"PieceView">, file: string): Shown {
  const corrections = piece.corrections ?? [];
  return /\.pub\.txt$/i.test(file)
    ? {
        ...piece,
        file,
        corrections: [
          ...corrections,
          {
            word: "file-name",
            sentence:
              "The file's name ends in .pub.txt; OpenSSH looks for .pub beside the private key.",
          },
        ],
      }
    : { ...piece, file };
}
