import type { Column } from '../columns/index.ts';
import { columnCutter } from '../columns/index.ts';
import { bitsGiven } from './entropy.ts';

/** The column of a table that leaves the least of another open. */
export interface Given {
  readonly column: string;
  /** Bits for each row that are then left, with the table of what goes with what. */
  readonly bits: number;
}

/** Rows on which candidates are compared; the best is then measured on all of them. */
const SAMPLE_ROWS = 1 << 16;
/** A column of more values than this share of the rows explains others by being nearly unique alone. */
const ROWS_A_VALUE = 4;

/**
 * For each column the other one that determines it best, in the order of the columns; undefined where none
 * saves anything of what the column needs by itself (`ownBits`). No two explain each other, not over others
 * either: what is left could all be told one column after the other (a tree of dependences: Chow and Liu,
 * "Approximating discrete probability distributions with dependence trees", 1968, taken greedily).
 */
export function bestGiven(columns: readonly Column[], ownBits: readonly number[]): (Given | undefined)[] {
  const rows = columns[0]?.rowCount ?? 0;
  const isWhole = rows <= SAMPLE_ROWS;
  const start = Math.max(0, Math.floor((rows - SAMPLE_ROWS) / 2));
  const sample = isWhole ? columns : columns.map((c) => stretchOf(c, start));
  const givenBy = new Map<number, Given>();
  const parent = new Map<number, number>();
  for (const { own, other, bits } of savings(columns, sample, ownBits)) {
    if (parent.has(own) || leadsTo(parent, other, own)) continue;
    const measured = isWhole ? bits : bitsGiven(columns[own]!, columns[other]!);
    if (measured >= ownBits[own]!) continue;
    parent.set(own, other);
    givenBy.set(own, { column: columns[other]!.name, bits: measured });
  }
  return columns.map((_, own) => givenBy.get(own));
}

/** With no more codes than it has values: of the whole there may be millions. */
const stretchOf = (column: Column, start: number): Column =>
  columnCutter(column)(Uint32Array.from({ length: SAMPLE_ROWS }, (_, k) => start + k));

interface Saving {
  readonly own: number;
  readonly other: number;
  readonly bits: number;
  readonly saved: number;
}

/** What each column saves by knowing each other one, on the sample; most first. */
function savings(
  columns: readonly Column[],
  sample: readonly Column[],
  ownBits: readonly number[],
): Saving[] {
  const found: Saving[] = [];
  for (const [other, { distinct, rowCount }] of columns.entries()) {
    if (distinct < 2 || distinct * ROWS_A_VALUE > rowCount) continue;
    for (const own of columns.keys()) {
      if (own === other || columns[own]!.distinct < 2) continue;
      const bits = bitsGiven(sample[own]!, sample[other]!);
      if (bits < ownBits[own]!) found.push({ own, other, bits, saved: ownBits[own]! - bits });
    }
  }
  return found.sort((a, b) => b.saved - a.saved);
}

const leadsTo = (parent: ReadonlyMap<number, number>, from: number, to: number): boolean => {
  for (let at: number | undefined = from; at !== undefined; at = parent.get(at)) if (at === to) return true;
  return false;
};
