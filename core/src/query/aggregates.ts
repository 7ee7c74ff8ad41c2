import type { DataType, Exact, Value } from '../values/index.ts';
import { add, compareValues, isExact, scaleOf, toDouble } from '../values/index.ts';
import type { Column } from '../columns/index.ts';
import { columnValues } from '../columns/index.ts';
import type { AggregateName, Evaluate } from '../formula/index.ts';

/** What an aggregate works on: entries with a group each (-1: left out), and a value per entry. */
export interface Aggregation {
  readonly aggregate: AggregateName;
  readonly distinct: boolean;
  readonly groups: Int32Array;
  readonly groupCount: number;
  /** Missing for the count of rows. */
  readonly arg?: Evaluate;
  readonly argType?: DataType;
  readonly by?: Evaluate;
  /**
   * Set where the argument is just a column: then codes are read instead of values. `references`: entry to
   * row + 1.
   */
  readonly column?: Column;
  readonly references?: Uint32Array | undefined;
}

/** One value per group. Over no rows a count is 0 and everything else null. */
export function aggregateGroups(a: Aggregation): Value[] {
  switch (a.aggregate) {
    case 'count':
      return a.distinct ? countDistinct(a) : filledCounts(a);
    case 'sum':
      return sums(a).sums;
    case 'avg':
      return averages(a);
    case 'min':
      return extremes(a, -1);
    case 'max':
      return extremes(a, 1);
    case 'latest':
      return byMoment(a, 1);
    case 'earliest':
      return byMoment(a, -1);
    case 'only':
      return onlyValues(a);
    case 'median':
      return medians(a);
    default:
      return variances(a);
  }
}

/** Code of each entry, and 0 for none. */
function entryCodes(a: Aggregation): (entry: number) => number {
  const { codes } = a.column!;
  const { references } = a;
  return references
    ? (entry) => (references[entry] === 0 ? 0 : codes[references[entry]! - 1]!)
    : (entry) => codes[entry]!;
}

function filledCounts({ groups, groupCount, arg, column, references }: Aggregation): Value[] {
  const counts = new Float64Array(groupCount);
  if (!arg) {
    for (let e = 0; e < groups.length; e++) if (groups[e]! >= 0) counts[groups[e]!]!++;
  } else if (column && !references) {
    const { codes } = column;
    for (let e = 0; e < groups.length; e++) if (groups[e]! >= 0 && codes[e] !== 0) counts[groups[e]!]!++;
  } else {
    for (let e = 0; e < groups.length; e++) if (groups[e]! >= 0 && arg(e) !== null) counts[groups[e]!]!++;
  }
  return Array.from(counts);
}

/** Groups times codes up to which a bit per pair is kept (16 MB). */
const MOST_BITS = 1 << 27;

function countDistinct(a: Aggregation): Value[] {
  const { groups, groupCount } = a;
  const counts = new Float64Array(groupCount);
  const width = a.column ? a.column.domain.size + 1 : 0;
  if (a.column && groupCount * width <= MOST_BITS) {
    const code = entryCodes(a);
    const seen = new Uint32Array(((groupCount * width) >>> 5) + 1);
    for (let e = 0; e < groups.length; e++) {
      const group = groups[e]!;
      if (group < 0) continue;
      const c = code(e);
      if (c === 0) continue;
      const bit = group * width + c;
      const mask = 1 << (bit & 31);
      if ((seen[bit >>> 5]! & mask) === 0) {
        seen[bit >>> 5]! |= mask;
        counts[group]!++;
      }
    }
    return Array.from(counts);
  }
  const seen = Array.from({ length: groupCount }, () => new Set<Value>());
  each(a, (group, value) => seen[group]!.add(value));
  return seen.map((set) => set.size);
}

/** Visits the non-null values of entries that have a group. */
function each(
  { groups, arg }: Aggregation,
  visit: (group: number, value: Exclude<Value, null>, entry: number) => void,
): void {
  for (let e = 0; e < groups.length; e++) {
    if (groups[e]! < 0) continue;
    const value = arg!(e);
    if (value !== null) visit(groups[e]!, value, e);
  }
}

/** Sums and counts of non-null values; exact for integers and decimals. */
function sums(a: Aggregation): { sums: Value[]; counts: Float64Array } {
  const { groups, groupCount } = a;
  const counts = new Float64Array(groupCount);
  if (a.column && fitsDouble(a.column, groups.length)) {
    const totals = new Float64Array(groupCount);
    const numbers = Float64Array.from(columnValues(a.column), (value) => Number(value ?? 0));
    if (!a.references) {
      const { codes } = a.column;
      for (let e = 0; e < groups.length; e++) {
        const group = groups[e]!;
        const code = codes[e]!;
        if (group < 0 || code === 0) continue;
        totals[group]! += numbers[code]!;
        counts[group]!++;
      }
    } else {
      const code = entryCodes(a);
      for (let e = 0; e < groups.length; e++) {
        const group = groups[e]!;
        const c = group < 0 ? 0 : code(e);
        if (c === 0) continue;
        totals[group]! += numbers[c]!;
        counts[group]!++;
      }
    }
    return { sums: Array.from(totals, (total, g) => (counts[g] === 0 ? null : total)), counts };
  }
  const totals: Value[] = new Array<Value>(groupCount).fill(null);
  const exact = isExact(a.argType!);
  each(a, (group, value) => {
    counts[group]!++;
    const total = totals[group]!;
    totals[group] =
      total === null
        ? value
        : exact
          ? add(total as Exact, value as Exact)
          : (total as number) + (value as number);
  });
  return { sums: totals, counts };
}

/** Whether no sum of the column's whole numbers over that many rows can leave the exact range of a double. */
function fitsDouble(column: Column, rows: number): boolean {
  if (!isExact(column.type)) return false;
  const { domain } = column;
  if (domain.size === 0) return true;
  const first = domain.kind === 'range' ? domain.first : domain.values[0]!;
  const last = domain.kind === 'range' ? domain.first + domain.size - 1 : domain.values[domain.size - 1]!;
  if (typeof first !== 'number' || typeof last !== 'number') return false;
  return Math.max(Math.abs(first), Math.abs(last)) * rows < Number.MAX_SAFE_INTEGER;
}

function averages(a: Aggregation): Value[] {
  const { sums: totals, counts } = sums(a);
  const scale = scaleOf(a.argType!);
  return totals.map((total, group) =>
    total === null ? null : toDouble(total as Exact, scale) / counts[group]!,
  );
}

function extremes(a: Aggregation, direction: 1 | -1): Value[] {
  if (a.column) {
    const code = entryCodes(a);
    const best = new Uint32Array(a.groupCount);
    for (let e = 0; e < a.groups.length; e++) {
      const group = a.groups[e]!;
      if (group < 0) continue;
      const c = code(e);
      if (c !== 0 && (best[group] === 0 || (direction > 0 ? c > best[group]! : c < best[group]!)))
        best[group] = c;
    }
    const values = columnValues(a.column);
    return Array.from(best, (c) => values[c]!);
  }
  const best: Value[] = new Array<Value>(a.groupCount).fill(null);
  each(a, (group, value) => {
    if (best[group] === null || compareValues(value, best[group]!) * direction > 0) best[group] = value;
  });
  return best;
}

/** x of the entry with the greatest (or least) non-null y; ties go to the greatest (or least) x. */
function byMoment({ groups, groupCount, arg, by }: Aggregation, direction: 1 | -1): Value[] {
  const moments: Value[] = new Array<Value>(groupCount).fill(null);
  const values: Value[] = new Array<Value>(groupCount).fill(null);
  for (let e = 0; e < groups.length; e++) {
    const group = groups[e]!;
    if (group < 0) continue;
    const moment = by!(e);
    if (moment === null) continue;
    const order = moments[group] === null ? 1 : compareValues(moment, moments[group]!) * direction;
    if (order < 0) continue;
    const value = arg!(e);
    if (
      order === 0 &&
      (value === null || (values[group] !== null && compareValues(value, values[group]!) * direction <= 0))
    )
      continue;
    moments[group] = moment;
    values[group] = value;
  }
  return values;
}

function onlyValues(a: Aggregation): Value[] {
  const found: (Value | undefined)[] = new Array<Value | undefined>(a.groupCount).fill(null);
  each(a, (group, value) => {
    if (found[group] === null) found[group] = value;
    else if (found[group] !== value) found[group] = undefined;
  });
  return found.map((value) => value ?? null);
}

/** The non-null numbers of each group, one group after the other in the order of their entries. */
function numbersByGroup(a: Aggregation): Float64Array[] {
  const numbers = new Float64Array(a.groups.length);
  const kept = new Int32Array(a.groups.length).fill(-1);
  const scale = scaleOf(a.argType!);
  each(a, (group, value, entry) => {
    numbers[entry] = toDouble(value as Exact, scale);
    kept[entry] = group;
  });
  const { starts, places } = buckets(kept, a.groupCount);
  const sorted = new Float64Array(starts[a.groupCount]!);
  for (let e = 0; e < kept.length; e++) if (kept[e]! >= 0) sorted[places[kept[e]!]!++] = numbers[e]!;
  return Array.from({ length: a.groupCount }, (_, g) => sorted.subarray(starts[g]!, starts[g + 1]!));
}

/** Where the entries of each group begin when they are laid out group by group, and a copy to count on. */
function buckets(groups: Int32Array, groupCount: number): { starts: Uint32Array; places: Uint32Array } {
  const starts = new Uint32Array(groupCount + 1);
  for (let e = 0; e < groups.length; e++) if (groups[e]! >= 0) starts[groups[e]! + 1]!++;
  for (let g = 0; g < groupCount; g++) starts[g + 1]! += starts[g]!;
  return { starts, places: starts.slice(0, groupCount) };
}

function medians(a: Aggregation): Value[] {
  if (a.column) return mediansByCode(a, a.column);
  return numbersByGroup(a).map((list) => {
    if (list.length === 0) return null;
    list.sort();
    const middle = list.length >> 1;
    return list.length % 2 === 1 ? list[middle]! : (list[middle - 1]! + list[middle]!) / 2;
  });
}

/** Codes ascend like values: the code in the middle is selected, and only it is decoded. */
function mediansByCode(a: Aggregation, column: Column): Value[] {
  const code = entryCodes(a);
  const kept = new Int32Array(a.groups.length);
  for (let e = 0; e < kept.length; e++) kept[e] = code(e) === 0 ? -1 : a.groups[e]!;
  const { starts, places } = buckets(kept, a.groupCount);
  const codes = new Uint32Array(starts[a.groupCount]!);
  for (let e = 0; e < kept.length; e++) if (kept[e]! >= 0) codes[places[kept[e]!]!++] = code(e);
  const scale = scaleOf(a.argType!);
  const number = (c: number): number => toDouble(column.valuesOf([c])[0] as Exact, scale);
  return Array.from({ length: a.groupCount }, (_, g) => {
    const list = codes.subarray(starts[g]!, starts[g + 1]!);
    if (list.length === 0) return null;
    const middle = list.length >> 1;
    const upper = select(list, middle);
    if (list.length % 2 === 1) return number(upper);
    // All before the middle are at most what stands there now.
    let lower = list[0]!;
    for (let i = 1; i < middle; i++) if (list[i]! > lower) lower = list[i]!;
    return (number(lower) + number(upper)) / 2;
  });
}

/**
 * The k-th least of some numbers, which are reordered so that none before it is greater and none after it
 * less (C. A. R. Hoare, Algorithm 65: Find, Communications of the ACM 4, 1961).
 */
function select(list: Uint32Array, k: number): number {
  let [left, right] = [0, list.length - 1];
  while (left < right) {
    const pivot = middleOfThree(list[left]!, list[(left + right) >> 1]!, list[right]!);
    let [i, j] = [left, right];
    while (i <= j) {
      while (list[i]! < pivot) i++;
      while (list[j]! > pivot) j--;
      if (i > j) break;
      const held = list[i]!;
      list[i++] = list[j]!;
      list[j--] = held;
    }
    if (k <= j) right = j;
    else if (k >= i) left = i;
    else break;
  }
  return list[k]!;
}

const middleOfThree = (a: number, b: number, c: number): number =>
  Math.max(Math.min(a, b), Math.min(Math.max(a, b), c));

/**
 * Two passes over the distances from the first value: their mean, then the squared distances from it, which
 * loses least (T. F. Chan, G. H. Golub and R. J. LeVeque, Algorithms for Computing the Sample Variance, The
 * American Statistician 37, 1983). Values that are all alike have the variance 0, not nearly 0.
 */
function variances(a: Aggregation): Value[] {
  const sample = a.aggregate.endsWith('_samp');
  const root = a.aggregate.startsWith('stddev');
  return numbersByGroup(a).map((list) => {
    const divisor = sample ? list.length - 1 : list.length;
    if (divisor <= 0) return null;
    const first = list[0]!;
    const mean = list.reduce((sum, x) => sum + (x - first), 0) / list.length;
    const variance = list.reduce((sum, x) => sum + (x - first - mean) ** 2, 0) / divisor;
    return root ? Math.sqrt(variance) : variance;
  });
}
