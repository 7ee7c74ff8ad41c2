import { memoryOf } from '../intake/kept.ts';
import type { PiecesDone, PiecesTask } from '../intake/pieces.ts';
import { readPieces } from '../intake/pieces.ts';
import { task } from '../threads/protocol.ts';

/** Reads pieces of a file; what was read moves to the thread that asked. */
export const pieces = task(
  (input: PiecesTask) => readPieces(input),
  ({ pieces: read, dictionaries }: PiecesDone) =>
    memoryOf(
      read.flatMap(({ cells }) => cells),
      dictionaries.flat(),
    ),
);
