import type { Codes, Column } from '../columns/index.ts';
import { rowLists } from '../columns/index.ts';

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
      logs += weighted(count);
    }
  return sum === 0 ? 0 : Math.max(0, Math.log2(sum) - logs / sum);
}

/** Of small counts, which are most of them, what they add is looked up. */
const KNOWN = Float64Array.from({ length: 1 << 12 }, (_, n) => (n === 0 ? 0 : n * Math.log2(n)));
const weighted = (count: number): number => (count < KNOWN.length ? KNOWN[count]! : count * Math.log2(count));

/** Numbers below this are always counted in an array. */
const SMALL = 1 << 16;

/** Counts of whole numbers: in an array as far as it goes, beyond it in a map. */
class Histogram {
  /** Different numbers beyond the small ones. */
  beyond = 0;
  private readonly small: Uint32Array;
  private readonly large = new Map<number, number>();

  /** Of so many numbers up to `largest`: the array is not much longer than they are many. */
  constructor(count: number, largest: number) {
    this.small = new Uint32Array(Math.min(largest + 1, Math.max(SMALL, 4 * count)));
  }

  add(value: number): void {
    if (value < this.small.length) {
      if (this.small[value]!++ === 0 && value >= SMALL) this.beyond++;
      return;
    }
    const known = this.large.get(value) ?? 0;
    if (known === 0) this.beyond++;
    this.large.set(value, known + 1);
  }

  entropy(): number {
    return entropyOf([this.small, [...this.large.values()]]);
  }
}

/**
 * More different lengths or steps than this, and the column is nowhere near to being one of runs or steps.
 */
const MOST_DIFFERENT = 1 << 20;

/** What the order of rows gives away, in bits for each row. */
export interface OrderBits {
  /** If each stretch of equal neighbours is told by value and length, each in a code made for them. */
  readonly runs: number;
  /** If each row is told by its distance from the row before; infinite where these hardly repeat. */
  readonly steps: number;
}

/** Rows that are looked at together: they are brought into one kind of array, within the nearest cache. */
const BLOCK_ROWS = 1 << 13;

/** In one pass over the rows; `size` is the largest code. */
export function orderBits(codes: Codes, size: number): OrderBits {
  const { length } = codes;
  if (length === 0) return { runs: 0, steps: 0 };
  const block = new Uint32Array(Math.min(BLOCK_ROWS, length));
  const values = new Uint32Array(size + 1);
  const lengths = new Histogram(0, length);
  const steps = new Histogram(length, 2 * size);
  let [runs, start, before] = [0, 0, codes[0]!];
  for (let from = 0; from < length; from += BLOCK_ROWS) {
    const rows = Math.min(BLOCK_ROWS, length - from);
    block.set(codes.subarray(from, from + rows));
    const tellsSteps = steps.beyond <= MOST_DIFFERENT;
    for (let i = from === 0 ? 1 : 0; i < rows; i++) {
      const code = block[i]!;
      const step = code - before;
      // Zigzag: small distances of either sign are small numbers.
      if (tellsSteps) steps.add(step >= 0 ? 2 * step : -2 * step - 1);
      if (step === 0) continue;
      values[before]!++;
      lengths.add(from + i - start);
      runs++;
      start = from + i;
      before = code;
    }
  }
  values[before]!++;
  lengths.add(length - start);
  runs++;
  return {
    runs: (runs * (entropyOfCounts(values) + lengths.entropy())) / length,
    steps: steps.beyond > MOST_DIFFERENT ? Infinity : steps.entropy(),
  };
}

/**
 * Bits for each row of a column whose other column is known: what is left open by it, and the table of what
 * goes with what, which has to be told as well (a two-part code: Rissanen, "Modeling by shortest data
 * description", 1978). So a column that is nearly unique explains nothing by its mere uniqueness.
 */
export function bitsGiven(column: Column, given: Column): number {
  const { rowCount } = column;
  if (rowCount === 0) return 0;
  const { pairs, logs } = pairsOf(given, column);
  const open = Math.log2(rowCount) - logs / rowCount - entropyOfCounts(given.counts);
  return Math.max(0, open) + (pairs * Math.log2(Math.max(2, column.distinct + 1))) / rowCount;
}

/** A place for each pair that could occur is kept where there are not many more of them than rows. */
const PLACES_A_ROW = 8;
const [LEAST_PLACES, MOST_PLACES] = [1 << 14, 1 << 24];

/** How many pairs of values occur in rows, and the sum of n log2(n) over how often each does. */
function pairsOf({ codes: given, size }: Column, { codes, size: others }: Column) {
  const width = others + 1;
  const places = Math.min(MOST_PLACES, Math.max(LEAST_PLACES, PLACES_A_ROW * codes.length));
  let [pairs, logs] = [0, 0];
  if ((size + 1) * width <= places) {
    const counts = new Uint32Array((size + 1) * width);
    for (let row = 0; row < codes.length; row++) counts[given[row]! * width + codes[row]!]!++;
    for (let place = 0; place < counts.length; place++) {
      if (counts[place] === 0) continue;
      pairs++;
      logs += weighted(counts[place]!);
    }
    return { pairs, logs };
  }
  // The rows of one value after those of another: counts of the other column are used again for each.
  const { starts, rows } = rowLists(given, size + 1);
  const counts = new Uint32Array(width);
  const met = new Uint32Array(width);
  for (let group = 0; group <= size; group++) {
    let different = 0;
    for (let i = starts[group]!; i < starts[group + 1]!; i++) {
      const code = codes[rows[i]!]!;
      if (counts[code]!++ === 0) met[different++] = code;
    }
    pairs += different;
    for (let k = 0; k < different; k++) {
      logs += weighted(counts[met[k]!]!);
      counts[met[k]!] = 0;
    }
  }
  return { pairs, logs };
}
