import { closeSync, openSync } from 'node:fs';
import type { EncodedSegment, Misfits, MisfitTexts } from '@crease/core/columns';
import { encodeSegment, inFewestBytes, SEGMENT_ROWS } from '@crease/core/columns';
import type { ColumnToRead } from '@crease/core/reading';
import { assembleColumn, linesOf, onLines } from '@crease/core/reading';
import type { EncodedColumn } from '../store/index.ts';
import type { KeptCells, KeptTexts } from './kept.ts';
import { loadCells, textListOf } from './kept.ts';

/** One column of a file whose pieces have been read, in the order of the file. */
export interface ColumnTask {
  readonly column: ColumnToRead;
  readonly nulls: readonly string[];
  readonly pieces: readonly {
    readonly rows: number;
    readonly lines: number;
    readonly lineOf: Uint32Array | undefined;
    readonly reader: number;
    readonly cells: KeptCells;
    readonly misfits: MisfitTexts;
    readonly padded: number;
  }[];
  /** By reader, then by epoch. */
  readonly dictionaries: readonly (readonly KeptTexts[])[];
  readonly exact: boolean;
  /** The file's line on which its rows begin. */
  readonly line: number;
}

/** Brings a column's pieces into one dictionary and encoded segments, a segment at a time. */
export function encodeColumn(task: ColumnTask): { column: EncodedColumn; misfits: Misfits | undefined } {
  const segments: EncodedSegment[] = [];
  const files = new Map<string, number>();
  const open = (file: string) => {
    if (!files.has(file)) files.set(file, openSync(file, 'r'));
    return files.get(file)!;
  };
  const { firstLines, lineOf } = linesOf(task.pieces, task.line);
  try {
    const made = assembleColumn(
      {
        column: task.column,
        chunks: task.pieces.map(({ rows, reader, misfits, padded }, k) => ({
          rows,
          reader,
          misfits: onLines(misfits, firstLines[k]!),
          padded,
        })),
        cells: (k) => loadCells(task.pieces[k]!.cells, open),
        dictionaries: task.dictionaries.map((list) => list.map((kept) => textListOf(kept, open))),
        exact: task.exact,
        nulls: new Set(task.nulls),
        lineOf,
      },
      SEGMENT_ROWS,
      (stretch) => segments.push(stretch.encode()),
    );
    const { name, type, nulls, distinct, runs, padded, counts, misfits } = made;
    return {
      column: {
        name,
        sourceName: task.column.fileName,
        type,
        nulls,
        distinct,
        runs,
        padded,
        ...inFewestBytes(type, made.encodedDomain(), segments),
        counts: counts ? encodeSegment(counts) : undefined,
      },
      misfits,
    };
  } finally {
    for (const descriptor of files.values()) closeSync(descriptor);
  }
}
