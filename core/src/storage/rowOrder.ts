import type { Codes, Column } from '../columns/index.ts';
import { codesArray, encodeSegments } from '../columns/index.ts';

/** An order of a table's rows that takes fewer bytes than the one they came in. */
export interface RowOrder {
  /**
   * Columns by which the rows are sorted, the first first; rows that are alike in all of them stay as they
   * came.
   */
  readonly by: readonly string[];
  /** Bytes of all columns' packed codes, as the rows came and sorted. */
  readonly beforeBytes: number;
  readonly afterBytes: number;
}

/** Rows of the stretch on which orders are tried. */
const SAMPLE_ROWS = 1 << 16;
/** Smaller tables are not worth a sort. */
const LEAST_ROWS = 1 << 12;
/** A sort must save this share of the whole to be told of. */
export const WORTH = 0.03;
/** And one more column to sort by this share of the sample: two together may save what none does alone. */
const STEP_WORTH = 0.005;
const MOST_LEADING = 3;
/** Of so many columns each is tried as the next to sort by. */
const MOST_TRIED = 8;

/**
 * Searches an order of rows that packs better: sorted by one column, then by one more as long as that saves,
 * each trial measured by encoding a stretch of rows from the middle; what is best there is measured on all
 * rows. Low cardinality alone is a poor guide, since rows mostly come in an order that already has like rows
 * together, and a sort takes that apart. Undefined where nothing is saved.
 */
export function searchRowOrder(columns: readonly Column[]): RowOrder | undefined {
  const rowCount = columns[0]?.rowCount ?? 0;
  if (rowCount < LEAST_ROWS) return undefined;
  const start = Math.max(0, Math.floor((rowCount - SAMPLE_ROWS) / 2));
  const sample = columns.map(({ codes }) => codes.subarray(start, start + SAMPLE_ROWS));
  const tried = candidates(columns);
  let by: number[] = [];
  let best = bytesOf(sample);
  const unsorted = best;
  while (by.length < MOST_LEADING) {
    const trials = tried
      .filter((c) => !by.includes(c))
      .map((c) => ({ c, bytes: bytesOf(sortedBy(sample, [...by, c])) }));
    const least = trials.reduce<{ c: number; bytes: number } | undefined>(
      (a, b) => (a && a.bytes <= b.bytes ? a : b),
      undefined,
    );
    if (!least || least.bytes > best - STEP_WORTH * unsorted) break;
    by = [...by, least.c];
    best = least.bytes;
  }
  if (by.length === 0) return undefined;
  const all = columns.map(({ codes }) => codes);
  const [beforeBytes, afterBytes] = [bytesOf(all), bytesOf(sortedBy(all, by))];
  return afterBytes > beforeBytes * (1 - WORTH)
    ? undefined
    : { by: by.map((c) => columns[c]!.name), beforeBytes, afterBytes };
}

/**
 * Columns worth sorting by: more than one value, and many rows for each; those of most runs first, for they
 * have most to gain.
 */
const candidates = (columns: readonly Column[]): number[] =>
  [...columns.keys()]
    .filter((c) => columns[c]!.distinct > 1 && columns[c]!.distinct * 8 <= columns[c]!.rowCount)
    .sort((a, b) => columns[b]!.runs - columns[a]!.runs)
    .slice(0, MOST_TRIED);

const bytesOf = (columns: readonly Codes[]): number =>
  columns.reduce(
    (sum, codes) => sum + encodeSegments(codes).reduce((n, { bytes }) => n + bytes.length, 0),
    0,
  );

/** The rows of columns sorted by some of them: the last first, each sort keeping the order of like rows. */
function sortedBy(columns: readonly Codes[], by: readonly number[]): Codes[] {
  let rows = Uint32Array.from({ length: columns[0]!.length }, (_, row) => row);
  for (const c of by.toReversed()) rows = countingSort(rows, columns[c]!);
  return columns.map((codes) => {
    const sorted = codesArray(
      codes instanceof Uint8Array ? 0xff : codes instanceof Uint16Array ? 0xffff : 0xffffffff,
      codes.length,
    );
    for (let i = 0; i < rows.length; i++) sorted[i] = codes[rows[i]!]!;
    return sorted;
  });
}

/** Rows by their codes; rows of one code stay in their order. */
function countingSort(rows: Uint32Array, codes: Codes): Uint32Array<ArrayBuffer> {
  let largest = 0;
  for (let i = 0; i < codes.length; i++) if (codes[i]! > largest) largest = codes[i]!;
  const next = new Uint32Array(largest + 2);
  for (let i = 0; i < codes.length; i++) next[codes[i]! + 1]!++;
  for (let code = 1; code < next.length; code++) next[code]! += next[code - 1]!;
  const sorted = new Uint32Array(rows.length);
  for (let i = 0; i < rows.length; i++) sorted[next[codes[rows[i]!]!]!++] = rows[i]!;
  return sorted;
}
