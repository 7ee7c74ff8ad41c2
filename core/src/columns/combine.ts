import type { Value } from '../values/index.ts';
import { compareValues, formatType } from '../values/index.ts';
import type { ArrayFor, Codes } from './codes.ts';
import type { Column, HeldColumn } from './column.ts';
import { codesArray } from './codes.ts';
import { mapCodes } from './combiner.ts';
import { columnOfParts, LARGEST_RANGE } from './column.ts';
import type { Domain } from './domain.ts';
import { decodeDomain, valuesOfCodes } from './dictionary.ts';
import { DictionaryTexts } from './dictionaryTexts.ts';
import { listDomain, rangeDomain } from './domain.ts';
import { withEncoder } from './kernel.ts';
import { mergeLists } from './mergeTexts.ts';
import type { Misfits, TableData } from './table.ts';
import { tableOf } from './table.ts';

/** Parts of a table that cannot stand together. */
export class PartsError extends Error {}

/**
 * Keeps codes that can be made again, best in an array that it hands out for them. What it gives is asked for
 * codes each time they are needed.
 */
export type KeepCodes = (column: string, make: (arrayFor: ArrayFor) => Codes) => () => Codes;

/**
 * The rows of several parts, one behind the other, as one table. Nothing of a part is changed: its codes are
 * read through a table to those of the common dictionary, which is made when it is first asked for. Throws
 * PartsError where the parts' columns differ.
 * `keep` keeps the codes of whole columns; by default the columns do.
 */
export function combineTables(name: string, parts: readonly TableData[], keep?: KeepCodes): TableData {
  if (parts.length === 1) return { ...parts[0]!, name };
  const [first, ...others] = parts.map(bySource);
  for (const other of others) checkAlike(first!, other);
  const columns = [...first!.columns].map(([key, column]) =>
    combineColumns(
      column.name,
      [first!, ...others].map((part) => part.columns.get(key)!),
      keep,
    ),
  );
  const starts = startsOf(parts.map(({ rowCount }) => rowCount));
  return tableOf(name, columns, {
    ...(parts[0]!.sourceNames ? { sourceNames: parts[0]!.sourceNames } : {}),
    rowCount: starts.at(-1)!,
    problems: parts.flatMap(({ problems }) => problems),
    misfits: calledAs(parts[0]!, combineMisfits([first!, ...others].map(({ misfits }) => misfits))),
    ...(parts.every(({ lineOf }) => lineOf)
      ? { lineOf: (row) => inPart(starts, row, (part, own) => parts[part]!.lineOf!(own)) }
      : {}),
  });
}

function checkAlike(first: TableData, other: TableData): void {
  const typeOf = (table: TableData, key: string) =>
    table.columns.get(key) && formatType(table.columns.get(key)!.type);
  const differ = [...new Set([...first.columns.keys(), ...other.columns.keys()])].filter(
    (key) => typeOf(first, key) !== typeOf(other, key),
  );
  if (differ.length === 0) return;
  const [key] = differ;
  const described = (table: TableData) =>
    table.columns.has(key!) ? `${table.columns.get(key!)!.name} ${typeOf(table, key!)}` : `no column ${key}`;
  throw new PartsError(
    `the rows that are there have ${described(first)}, the new ones ${described(other)}: give the columns the same types, or load all rows of the table again`,
  );
}

/** What is known of columns by the names of a part. */
function calledAs<T>({ sourceNames }: TableData, bySourceName: ReadonlyMap<string, T>): Map<string, T> {
  const name = new Map([...(sourceNames ?? [])].map(([own, source]) => [source, own]));
  return new Map([...bySourceName].map(([key, value]) => [name.get(key) ?? key, value]));
}

function combineMisfits(all: readonly ReadonlyMap<string, Misfits>[]): Map<string, Misfits> {
  const found = new Map<string, Misfits>();
  for (const misfits of all)
    for (const [column, more] of misfits) {
      const known = found.get(column);
      const sample = [...(known?.sample ?? []), ...more.sample].sort((x, y) => y.rows - x.rows).slice(0, 20);
      // The same text may stand in several parts: the number of different ones is at most this.
      found.set(column, {
        rows: (known?.rows ?? 0) + more.rows,
        distinct: (known?.distinct ?? 0) + more.distinct,
        sample,
      });
    }
  return found;
}

/** Row at which each part begins, and at the end the number of all rows. */
function startsOf(rows: readonly number[]): number[] {
  const starts = [0];
  for (const count of rows) starts.push(starts.at(-1)! + count);
  return starts;
}

function inPart<T>(starts: readonly number[], row: number, of: (part: number, row: number) => T): T {
  let [low, high] = [0, starts.length - 2];
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (starts[middle]! <= row) low = middle;
    else high = middle - 1;
  }
  return of(low, row - starts[low]!);
}

/**
 * The table with its columns by the names under which they came: parts may have been loaded under different
 * ones.
 */
const bySource = (table: TableData): TableData => withKeys(table, table.sourceNames);

/** The table with other keys for its columns and for what is known of them. */
const withKeys = (table: TableData, keys: ReadonlyMap<string, string> | undefined): TableData => {
  if (!keys) return table;
  const keyed = <T>(of: ReadonlyMap<string, T>) =>
    new Map([...of].map(([name, value]) => [keys.get(name) ?? name, value]));
  return { ...table, columns: keyed(table.columns), misfits: keyed(table.misfits) };
};

/** The rows of several columns of one type, one behind the other. */
export function combineColumns(name: string, parts: readonly Column[], keep?: KeepCodes): Column {
  const rowCount = parts.reduce((sum, part) => sum + part.rowCount, 0);
  const isText = parts[0]!.type.kind === 'text';
  let common: MergedDictionary | undefined;
  const merged = () => (common ??= isText ? mergeTexts(parts) : mergeValues(parts));
  const counts = () => {
    const sums = new Uint32Array(merged().size + 1);
    parts.forEach((part, k) => {
      const map = merged().maps[k];
      part.counts.forEach((count: number, code: number) => (sums[map ? map[code]! : code]! += count));
    });
    return sums;
  };
  const codes = (arrayFor: ArrayFor) => {
    const made = arrayFor(merged().size, rowCount);
    let at = 0;
    parts.forEach((part, k) => {
      const map = merged().maps[k];
      const own = part.codes;
      if (!map) made.set(own, at);
      else mapCodes(own, map, made.subarray(at, at + own.length));
      at += own.length;
    });
    return made;
  };
  return columnOfParts({
    name,
    type: parts[0]!.type,
    rowCount,
    domain: () => merged().domain(),
    size: () => merged().size,
    ...(isText
      ? {
          encodedDomain: () => merged().encoded!,
          dictionaryBytes: () => merged().encoded!.length,
          valuesOf: (codes) => valuesOfCodes(merged().encoded!, codes),
        }
      : {}),
    codes: keep ? keep(name, codes) : () => codes(codesArray),
    asksForCodes: keep !== undefined,
    counts,
    // Every value of a list stands in some row; of a range not all need to.
    distinct: () =>
      isText || parts.every(({ domain }) => domain.kind === 'list')
        ? merged().size
        : counts().reduce((n, count, code) => n + (code > 0 && count > 0 ? 1 : 0), 0),
    nulls: parts.reduce((sum, part) => sum + part.nulls, 0),
    padded: parts.reduce((sum, part) => sum + part.padded, 0),
    held: () => heldTogether(parts),
    // Of each part by itself: no common dictionary is made for them.
    valuesAt: (rows) => valuesOfParts(parts, rows),
    runs: () => {
      // Rows that meet where two parts do may hold one value.
      const filled = parts.filter((part) => part.rowCount > 0);
      const joins = filled.slice(1).filter((part, k) => {
        const before = filled[k]!;
        return before.valuesAt([before.rowCount - 1])[0] === part.valuesAt([0])[0];
      });
      return filled.reduce((sum, part) => sum + part.runs, 0) - joins.length;
    },
  });
}

/** The values of some rows of several columns, one behind the other. */
function valuesOfParts(parts: readonly Column[], rows: readonly number[]): Value[] {
  const starts = startsOf(parts.map(({ rowCount }) => rowCount));
  const byPart = parts.map((): { own: number[]; places: number[] } => ({ own: [], places: [] }));
  rows.forEach((row, place) =>
    inPart(starts, row, (part, own) => {
      byPart[part]!.own.push(own);
      byPart[part]!.places.push(place);
    }),
  );
  const values = new Array<Value>(rows.length);
  byPart.forEach(({ own, places }, part) => {
    if (own.length > 0) parts[part]!.valuesAt(own).forEach((value, k) => (values[places[k]!] = value));
  });
  return values;
}

/** Parts lie each with a dictionary of its own. */
function heldTogether(parts: readonly Column[]): HeldColumn | undefined {
  const held = parts.map((part) => part.held);
  if (!held.every((h) => h !== undefined)) return undefined;
  return {
    segments: held.flatMap(({ segments }) => segments),
    dictionaryBytes: held.reduce((sum, h) => sum + h.dictionaryBytes, 0),
    isRange: held.every(({ isRange }) => isRange),
    storedBytes: held.reduce((sum, h) => sum + h.storedBytes, 0),
  };
}

/** What the codes of several columns mean together. */
interface MergedDictionary {
  readonly size: number;
  readonly domain: () => Domain;
  /** As it is encoded, where texts are. */
  readonly encoded?: Uint8Array;
  /** By column from its codes to those of the whole; undefined where they are the same. */
  readonly maps: readonly (Uint32Array | undefined)[];
}

function mergeValues(parts: readonly Column[]): MergedDictionary {
  const { domain, maps } = mergeDomains(parts.map((part) => part.domain));
  return { size: domain.size, domain: () => domain, maps };
}

/** In bytes, as texts of files are when they are loaded: none is decoded until a value is asked for. */
function mergeTexts(parts: readonly Column[]): MergedDictionary {
  return withEncoder((arena) => {
    const lists = parts.map((part) => new DictionaryTexts(part.encodedDomain()));
    const { size, encoded, tables } = mergeLists(arena, lists, [])!;
    const maps = lists.map((list, k) => {
      if (list.size === size) return undefined;
      const map = new Uint32Array(list.size + 1);
      map.set(arena.words(tables[k]!, list.size), 1);
      return map;
    });
    return { size, encoded, domain: () => decodeDomain(encoded), maps };
  });
}

/**
 * One domain for all, and for each a table from its codes to those of the common one; undefined where they
 * are the same.
 */
export function mergeDomains(domains: readonly Domain[]): {
  domain: Domain;
  maps: (Uint32Array | undefined)[];
} {
  const filled = domains.filter(({ size }) => size > 0);
  if (filled.length > 0 && filled.every((domain) => domain.kind === 'range')) {
    const first = Math.min(...filled.map((domain) => domain.first));
    const size = Math.max(...filled.map((domain) => domain.first + domain.size)) - first;
    const held = filled.reduce((sum, domain) => sum + domain.size, 0);
    if (size <= LARGEST_RANGE && size <= Math.max(4096, 8 * held)) {
      const maps = domains.map((domain) => {
        const shift = domain.kind === 'range' ? domain.first - first : 0;
        return domain.size === 0 || shift === 0
          ? undefined
          : Uint32Array.from({ length: domain.size + 1 }, (_, code) => (code === 0 ? 0 : code + shift));
      });
      return { domain: rangeDomain(first, size), maps };
    }
  }
  const lists = domains.map(valuesOf);
  const { values, places } = mergeAll(lists);
  return {
    domain: listDomain(values),
    maps: lists.map((list, k) =>
      list.length === values.length ? undefined : tableOfPlaces(list, places[k]),
    ),
  };
}

/** By code the code of the common domain; places are those of the values, which have codes from 1 on. */
function tableOfPlaces(list: ArrayLike<Value>, places: Uint32Array | undefined): Uint32Array {
  const table = new Uint32Array(list.length + 1);
  for (let k = 0; k < list.length; k++) table[k + 1] = (places ? places[k]! : k) + 1;
  return table;
}

const valuesOf = (domain: Domain): ArrayLike<Value> =>
  domain.kind === 'list' ? domain.values : Array.from({ length: domain.size }, (_, k) => domain.first + k);

/** Lists of ascending values in one. */
interface MergedValues {
  readonly values: ArrayLike<Value>;
  /** Of each list where its values stand in `values`; undefined where they stand at its own places. */
  readonly places: readonly (Uint32Array | undefined)[];
}

/** By halves: each value is compared as often as the lists can be halved, however many there are. */
function mergeAll(lists: readonly ArrayLike<Value>[]): MergedValues {
  if (lists.length <= 1) return { values: lists[0] ?? [], places: lists.map(() => undefined) };
  const middle = lists.length >> 1;
  const [a, b] = [mergeAll(lists.slice(0, middle)), mergeAll(lists.slice(middle))];
  const { values, ofA, ofB } = mergeTwo(a.values, b.values);
  return {
    values,
    places: [
      ...a.places.map((places) => through(places, ofA)),
      ...b.places.map((places) => through(places, ofB)),
    ],
  };
}

const through = (places: Uint32Array | undefined, then: Uint32Array | undefined): Uint32Array | undefined =>
  places && then ? places.map((place) => then[place]!) : (places ?? then);

/** Two ascending lists in one, with the places of the values of each. */
function mergeTwo(a: ArrayLike<Value>, b: ArrayLike<Value>) {
  if (b.length === 0) return { values: a, ofA: undefined, ofB: undefined };
  if (a.length === 0) return { values: b, ofA: undefined, ofB: undefined };
  const out: Value[] = [];
  // As with parts of a time, whose values follow each other.
  if (compareValues(a[a.length - 1]!, b[0]!) < 0) {
    for (let i = 0; i < a.length; i++) out.push(a[i]!);
    for (let j = 0; j < b.length; j++) out.push(b[j]!);
    return {
      values: out,
      ofA: undefined,
      ofB: Uint32Array.from({ length: b.length }, (_, j) => a.length + j),
    };
  }
  const [ofA, ofB] = [new Uint32Array(a.length), new Uint32Array(b.length)];
  let [i, j] = [0, 0];
  while (i < a.length || j < b.length) {
    const order = i === a.length ? 1 : j === b.length ? -1 : compareValues(a[i]!, b[j]!);
    const place = out.push(order <= 0 ? a[i]! : b[j]!) - 1;
    if (order <= 0) ofA[i++] = place;
    if (order >= 0) ofB[j++] = place;
  }
  return { values: out, ofA, ofB };
}
