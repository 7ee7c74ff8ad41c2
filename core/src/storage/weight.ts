import type { Codes, Column, EncodingName, HeldColumn } from '../columns/index.ts';
import { encodeSegments, prefersRawDoubles, sizesOfSegments } from '../columns/index.ts';
import { entropyOfCounts, orderBits } from './entropy.ts';

/** How codes of a column lie in its segments. */
export interface HeldAs {
  readonly encoding: EncodingName | 'doubles';
  readonly segments: number;
  readonly bytes: number;
}

/** Bytes that a column takes once encoded. */
export interface ColumnSize {
  readonly dataBytes: number;
  readonly dictionaryBytes: number;
  /**
   * How values become codes, and how most segments hold them: `dictionary+runs`, `integers+packed`,
   * `doubles`.
   */
  readonly encoding: string;
  readonly held: readonly HeldAs[];
  /** Bytes in the workspace's file, where dictionaries are deflated; undefined for what is derived. */
  readonly storedBytes?: number;
}

/** What a column weighs beside what its values need. */
export interface ColumnWeight extends ColumnSize {
  /** The codes held in one way throughout, fewest bytes first; only ways that can hold them. */
  readonly alternatives: readonly { readonly encoding: HeldAs['encoding']; readonly bytes: number }[];
  /** Entropy of the values, whatever their order: bits for each row. */
  readonly valueBits: number;
  /** Of stretches of equal values, bits for each row. */
  readonly runBits: number;
  /** Of distances from row to row, bits for each row; null where they hardly repeat. */
  readonly stepBits: number | null;
  /** For a picture; left out of what is kept and handed on. */
  readonly picture?: ColumnPicture;
}

/** How a column's rows lie, without any of its values. */
export interface ColumnPicture {
  /**
   * Stretches of equal values among the first rows, at most `SHOWN_RUNS`: how many rows, and where the value
   * stands between the least and the greatest of them, 0 to 1; -1 for null.
   */
  readonly stripes: readonly { readonly rows: number; readonly place: number }[];
  /** Shares of rows of the most frequent values, descending; at most `SHOWN_VALUES`. */
  readonly steps: readonly number[];
}

const SHOWN_RUNS = 160;
const SHOWN_VALUES = 40;

const sizes = new WeakMap<Column, ColumnSize>();

/**
 * The codes and dictionary of a column as they are held, else as they would be. Worked out once per column.
 */
export function columnBytes(column: Column): ColumnSize {
  let size = sizes.get(column);
  if (!size) sizes.set(column, (size = sizeOf(column)));
  return size;
}

/** Bytes of a column's codes and dictionary together. */
export const totalBytes = (column: Column): number => {
  const { dataBytes, dictionaryBytes } = columnBytes(column);
  return dataBytes + dictionaryBytes;
};

function sizeOf(column: Column): ColumnSize {
  const { held } = column;
  if (held) return sizeOfHeld(column, held);
  const segments = encodeSegments(column.codes);
  const bytes = segments.reduce((sum, s) => sum + s.bytes.length, 0);
  if (prefersRawDoubles(column.type, column.dictionaryBytes, bytes, column.rowCount))
    return {
      dataBytes: column.rowCount * 8,
      dictionaryBytes: 0,
      encoding: 'doubles',
      held: [{ encoding: 'doubles', segments: segments.length, bytes: column.rowCount * 8 }],
    };
  return {
    dataBytes: bytes,
    dictionaryBytes: column.dictionaryBytes,
    ...named(
      column,
      segments.map((s) => ({ encoding: s.encoding, bytes: s.bytes.length })),
    ),
  };
}

function sizeOfHeld(column: Column, { segments, dictionaryBytes, storedBytes }: HeldColumn): ColumnSize {
  return {
    dataBytes: segments.reduce((sum, s) => sum + s.bytes, 0),
    dictionaryBytes,
    ...named(column, segments),
    storedBytes,
  };
}

function named(
  column: Column,
  segments: readonly { readonly encoding: HeldAs['encoding']; readonly bytes: number }[],
): Pick<ColumnSize, 'encoding' | 'held'> {
  const held = new Map<string, HeldAs>();
  for (const { encoding, bytes } of segments) {
    const known = held.get(encoding) ?? { encoding, segments: 0, bytes: 0 };
    held.set(encoding, { encoding, segments: known.segments + 1, bytes: known.bytes + bytes });
  }
  const all = [...held.values()].sort((a, b) => b.segments - a.segments);
  const most = all[0]?.encoding ?? 'empty';
  // Texts always have a dictionary: asking their domain would decode it.
  const isRange = column.held?.isRange ?? (column.type.kind !== 'text' && column.domain.kind === 'range');
  const kind = isRange ? 'integers' : 'dictionary';
  return { encoding: most === 'doubles' ? most : `${kind}+${most}`, held: all };
}

/** Measures what a column weighs and what its values need: reads all of its rows. */
export function weigh(column: Column): ColumnWeight {
  const { codes, counts, size } = column;
  const { runs, steps } = orderBits(codes, size);
  return {
    ...columnBytes(column),
    alternatives: alternativesOf(column),
    valueBits: entropyOfCounts(counts),
    runBits: runs,
    stepBits: Number.isFinite(steps) ? steps : null,
    picture: { stripes: stripesOf(codes), steps: mostFrequent(counts, column.rowCount) },
  };
}

function alternativesOf(column: Column): ColumnWeight['alternatives'] {
  const { codes } = column;
  const sums = new Map<EncodingName, { bytes: number; segments: number }>();
  let segments = 0;
  for (const sizes of sizesOfSegments(codes)) {
    segments++;
    for (const { encoding, bytes } of sizes) {
      const known = sums.get(encoding) ?? { bytes: 0, segments: 0 };
      sums.set(encoding, { bytes: known.bytes + bytes, segments: known.segments + 1 });
    }
  }
  const throughout = [...sums].filter(([, sum]) => sum.segments === segments);
  return [
    ...throughout.map(([encoding, { bytes }]) => ({ encoding, bytes })),
    ...(column.type.kind === 'double' ? [{ encoding: 'doubles' as const, bytes: 8 * column.rowCount }] : []),
  ].sort((a, b) => a.bytes - b.bytes);
}

/** A share as exact as a picture shows it: there are many of them, and they travel. */
const drawn = (share: number): number => Number(share.toPrecision(4));

/** The first rows as stretches of equal values. */
function stripesOf(codes: Codes): ColumnPicture['stripes'] {
  const stripes: { rows: number; code: number }[] = [];
  for (let row = 0; row < codes.length && stripes.length < SHOWN_RUNS;) {
    const code = codes[row]!;
    let end = row + 1;
    while (end < codes.length && codes[end] === code) end++;
    stripes.push({ rows: end - row, code });
    row = end;
  }
  const filled = stripes.map(({ code }) => code).filter((code) => code > 0);
  const [least, span] = [Math.min(...filled), Math.max(...filled) - Math.min(...filled)];
  return stripes.map(({ rows, code }) => ({
    rows,
    place: code === 0 ? -1 : span === 0 ? 0 : drawn((code - least) / span),
  }));
}

function mostFrequent(counts: Uint32Array, rows: number): number[] {
  const most: number[] = [];
  for (const count of counts) {
    if (count === 0 || (most.length === SHOWN_VALUES && count <= most.at(-1)!)) continue;
    const at = most.findIndex((other) => other < count);
    most.splice(at < 0 ? most.length : at, 0, count);
    if (most.length > SHOWN_VALUES) most.pop();
  }
  return most.map((count) => drawn(count / Math.max(1, rows)));
}
