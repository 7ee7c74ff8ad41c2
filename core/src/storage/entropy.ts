import type { Codes } from '../columns/index.ts';
import { combinations } from '../columns/index.ts';
import type { Column } from '../columns/index.ts';

// What information theory asks for: bits that no encoding of a kind can go below (Shannon, "A Mathematical
// Theory of Communication", 1948). All are bits for each row, on average.

/**
 * Entropy of values that occur so many times, bits for each occurrence. Zeros are values that do not occur.
 */
export const entropyOfCounts = (counts: ArrayLike<number>): number => entropyOf([counts]);

/** The same of counts that lie in several lists. */
function entropyOf(lists: readonly ArrayLike<number>[]): number {
  let [sum, logs] = [0, 0];
  for (const counts of lists)
    for (let i = 0; i < counts.length; i++) {
      const count = counts[i]!;
      if (count === 0) continue;
      sum += count;
      logs += count * Math.log2(count);
    }
  return sum === 0 ? 0 : Math.max(0, Math.log2(sum) - logs / sum);
}

/** Counts of whole numbers: in an array where they are small, else in a map. */
class Histogram {
  private readonly small = new Uint32Array(1 << 16);
  private readonly large = new Map<number, number>();

  add(value: number): void {
    if (value < this.small.length) this.small[value]!++;
    else this.large.set(value, (this.large.get(value) ?? 0) + 1);
  }

  /** Different numbers beyond the small ones: a map of very many costs more than it tells. */
  get size(): number {
    return this.large.size;
  }

  entropy(): number {
    return entropyOf([this.small, [...this.large.values()]]);
  }
}

/**
 * More different lengths or steps than this, and the column is nowhere near to being one of runs or steps.
 */
const MOST_DIFFERENT = 1 << 20;

/**
 * Bits for each row if each stretch of equal neighbours is told by its value and its length, values and
 * lengths each in a code made for them.
 */
export function entropyOfRuns(codes: Codes, size: number): number {
  if (codes.length === 0) return 0;
  const values = new Uint32Array(size + 1);
  const lengths = new Histogram();
  let [runs, start] = [0, 0];
  for (let row = 1; row <= codes.length; row++) {
    if (row < codes.length && codes[row] === codes[row - 1]) continue;
    values[codes[start]!]!++;
    lengths.add(row - start);
    runs++;
    start = row;
  }
  return (runs * (entropyOfCounts(values) + lengths.entropy())) / codes.length;
}

/**
 * Bits for each row if each is told by its distance from the row before; infinite where these hardly repeat.
 */
export function entropyOfSteps(codes: Codes): number {
  const steps = new Histogram();
  for (let row = 1; row < codes.length; row++) {
    const step = codes[row]! - codes[row - 1]!;
    // Zigzag: small distances of either sign are small numbers.
    steps.add(step >= 0 ? 2 * step : -2 * step - 1);
    if (steps.size > MOST_DIFFERENT) return Infinity;
  }
  return steps.entropy();
}

/**
 * Bits for each row of a column whose other column is known: what is left open by it, and the table of what
 * goes with what, which has to be told as well (a two-part code: Rissanen, "Modeling by shortest data
 * description", 1978). So a column that is nearly unique explains nothing by its mere uniqueness.
 */
export function bitsGiven(column: Column, given: Column): number {
  const { rowCount } = column;
  if (rowCount === 0) return 0;
  const pairs = combinations([given, column], rowCount);
  const counts = new Uint32Array(pairs.size);
  for (let row = 0; row < rowCount; row++) counts[pairs.numbers[row]!]!++;
  const open = entropyOfCounts(counts) - entropyOfCounts(given.counts);
  return Math.max(0, open) + (pairs.size * Math.log2(Math.max(2, column.distinct + 1))) / rowCount;
}
