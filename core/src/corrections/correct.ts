import type { Value } from '../values/index.ts';
import { formatDate, toJson } from '../values/index.ts';
import type { Column, CorrectedValue, TableData } from '../columns/index.ts';
import {
  codesArray,
  codesOfValues,
  columnOf,
  columnOfCodes,
  columnOfParts,
  domainOfDistinct,
  mergeDomains,
} from '../columns/index.ts';
import type { CorrectedColumn, Correction } from './correction.ts';

/** What a list of corrections does to the rows of a table. */
interface Fitted {
  /** Rows with the correction that stands, from 0, as of the day. */
  readonly byRow: ReadonlyMap<number, Correction>;
  /** Why some change nothing, whatever the day. */
  readonly unfit: ReadonlyMap<Correction, string>;
}

/** Whether a correction holds on a day; both its ends are days on which it holds. */
const holdsOn = ({ from, to }: Correction, day: number): boolean =>
  (from === null || from <= day) && (to === null || to >= day);

/** Whether one correction takes the place of another: it was entered later, or stands behind it. */
const isNewer = (a: Correction, b: Correction): boolean =>
  (a.moment ?? -Infinity) !== (b.moment ?? -Infinity)
    ? (a.moment ?? -Infinity) > (b.moment ?? -Infinity)
    : a.line >= b.line;

/**
 * Finds the row of each correction, and of those for one row the newest that holds on a day. Corrections are
 * few beside rows: their keys are looked for in the dictionaries, which need not be decoded, and one pass
 * over codes finds the rows.
 */
function fitCorrections(
  { table: { name, key } }: CorrectedColumn,
  table: TableData,
  corrections: readonly Correction[],
  day: number,
): Fitted {
  const byRow = new Map<number, Correction>();
  const unfit = new Map<Correction, string>();
  const own = key!.map((column) => columnOf(table, column));
  const wanted = own.map((column, i) =>
    codesOfValues(
      column,
      corrections.map((c) => c.key[i]!),
    ),
  );
  const rowsOf = rowsOfKeys(own, wanted, corrections.length);
  corrections.forEach((correction, i) => {
    const { fault } = correction;
    const rows = rowsOf(i);
    if (fault !== undefined) unfit.set(correction, fault);
    else if (rows.length === 0) unfit.set(correction, `${name} has no row of its key`);
    else if (rows.length > 1) unfit.set(correction, `several rows of ${name} have its key`);
    else if (holdsOn(correction, day)) {
      const row = rows[0]!;
      const before = byRow.get(row);
      if (!before || isNewer(correction, before)) byRow.set(row, correction);
    }
  });
  return { byRow, unfit };
}

/**
 * Rows by some keys, each given as its codes by key column (-1 for a value that no row has); of one that has
 * several rows only the first two are listed. A key with null has none.
 */
function rowsOfKeys(
  columns: readonly Column[],
  wanted: readonly Int32Array[],
  count: number,
): (i: number) => readonly number[] {
  const idOf = (codeAt: (k: number) => number) => columns.map((_, k) => codeAt(k)).join(' ');
  const found = new Map<string, number[]>();
  const ids = Array.from({ length: count }, (_, i) => {
    const isThere = wanted.every((codes) => codes[i]! > 0);
    const id = isThere ? idOf((k) => wanted[k]![i]!) : undefined;
    if (id !== undefined) found.set(id, []);
    return id;
  });
  const [first] = columns;
  const isMet = new Set(wanted[0]);
  if (found.size > 0)
    first!.codes.forEach((code: number, row: number) => {
      if (!isMet.has(code)) return;
      const rows = found.get(idOf((k) => columns[k]!.codes[row]!));
      if (rows && rows.length < 2) rows.push(row);
    });
  return (i) => (ids[i] === undefined ? [] : found.get(ids[i])!);
}

/** The rows of a table with the values of corrections in place of those that were read, as of a day. */
export function withCorrections(
  of: CorrectedColumn,
  table: TableData,
  corrections: readonly Correction[],
  day: number,
): TableData {
  const { byRow, unfit } = fitCorrections(of, table, corrections, day);
  const key = of.column.name.toLowerCase();
  const column = columnOf(table, key);
  const rows = [...byRow.keys()];
  const was = column.valuesAt(rows);
  const told = new Map<number, CorrectedValue>(
    rows.map((row, i) => {
      const { author, at, comment } = byRow.get(row)!;
      return [row, { was: was[i]!, author, at, comment }];
    }),
  );
  const values = new Map([...byRow].map(([row, c]) => [row, c.value]));
  return {
    ...table,
    columns: values.size > 0 ? new Map(table.columns).set(key, withValues(column, values)) : table.columns,
    corrected: new Map(table.corrected).set(key, {
      entered: corrections.length,
      byRow: told,
      unfit: [...unfit].map(([{ key: values, line }, why]) => ({ key: values, line, why })),
    }),
  };
}

/** A column with other values in some rows. */
function withValues(column: Column, values: ReadonlyMap<number, Value>): Column {
  const distinct = [...new Set(values.values())].filter((value) => value !== null);
  const coming = domainOfDistinct(distinct, column.rowCount);
  const numberOf = new Map(distinct.map((value, i) => [value, coming.remap[i + 1]!]));
  const { domain, maps } = mergeDomains([column.domain, coming.domain]);
  const [ownMap, otherMap] = maps;
  const codes = codesArray(domain.size, column.rowCount);
  column.codes.forEach((code: number, row: number) => (codes[row] = ownMap ? ownMap[code]! : code));
  for (const [row, value] of values) {
    const code = value === null ? 0 : numberOf.get(value)!;
    codes[row] = otherMap ? otherMap[code]! : code;
  }
  const { name, type } = column;
  const made = columnOfCodes(name, type, domain, codes);
  return columnOfParts({
    name,
    type,
    rowCount: column.rowCount,
    domain,
    codes,
    counts: () => made.counts,
    distinct: made.distinct,
    nulls: made.nulls,
    runs: () => made.runs,
    // What it weighs where it lies is what was read.
    held: () => column.held,
  });
}

/** A correction as screens and files tell it: values as the model writes them, days in ISO 8601. */
export interface ListedCorrection {
  readonly key: readonly (null | boolean | number | string)[];
  readonly value: null | boolean | number | string;
  readonly author: string | null;
  readonly at: string | null;
  readonly comment: string | null;
  readonly from: string | null;
  readonly to: string | null;
  /** Whether it is what counts, a newer one counts, it is not of the day, or it cannot count. */
  readonly state: 'stands' | 'replaced' | 'other days' | 'changes nothing';
  /** What was read, in whose place it stands. */
  readonly was?: null | boolean | number | string;
  /** Why it changes nothing. */
  readonly why?: string;
}

/** Corrections with what becomes of them as of a day, in their order. */
export function listedCorrections(
  of: CorrectedColumn,
  table: TableData,
  corrections: readonly Correction[],
  day: number,
): ListedCorrection[] {
  const { byRow, unfit } = fitCorrections(of, table, corrections, day);
  const column = columnOf(table, of.column.name);
  const key = of.table.key!.map((name) => columnOf(table, name));
  const rowOf = new Map([...byRow].map(([row, correction]) => [correction, row]));
  const made = table.corrected?.get(of.column.name.toLowerCase())?.byRow;
  return corrections.map((c): ListedCorrection => {
    const row = rowOf.get(c);
    const why = unfit.get(c);
    return {
      key: c.key.map((value, i) => toJson(value, key[i]!.type)),
      value: toJson(c.value, column.type),
      author: c.author,
      at: c.at,
      comment: c.comment,
      from: c.from === null ? null : formatDate(c.from),
      to: c.to === null ? null : formatDate(c.to),
      state:
        why !== undefined
          ? 'changes nothing'
          : row !== undefined
            ? 'stands'
            : holdsOn(c, day)
              ? 'replaced'
              : 'other days',
      ...(row === undefined
        ? {}
        : {
            was: toJson(made?.has(row) ? made.get(row)!.was : column.valuesAt([row])[0]!, column.type),
          }),
      ...(why === undefined ? {} : { why }),
    };
  });
}
