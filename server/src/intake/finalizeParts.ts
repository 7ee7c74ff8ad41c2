import type { LoadResult } from '@crease/contract';
import type { Misfits, MisfitText, TableData } from '@crease/core/columns';
import {
  columnCutter,
  combineTables,
  compacted,
  misfitsOf,
  noteMisfit,
  PartsError,
  recordsOf,
  tableOf,
} from '@crease/core/columns';
import type { Merged, PartedRows } from '@crease/core/load';
import { partedRows } from '@crease/core/load';
import type { Partition } from '@crease/core/model';
import { selectRows } from '@crease/core/shape';
import type { CurrentPart, Tables } from '../store/index.ts';
import { partedBy } from '../store/index.ts';
import { writeTable } from './writeTable.ts';

/** How the rows of a table that is kept in parts are brought to where they belong. */
export interface PartsOrder {
  readonly partition: Partition;
  /** `all`: parts that do not come go. `parts`: others stay. `add`: rows are added to their parts. */
  readonly mode: 'all' | 'parts' | 'add';
  /** Parts whose rows are taken; undefined for all. */
  readonly only: readonly string[] | undefined;
  readonly current: readonly CurrentPart[];
  readonly misfits: readonly (readonly [string, Misfits])[];
}

/** A part that has been written and is not visible yet. */
export interface WrittenPart {
  readonly tableId: number;
  readonly part: string;
  readonly misfits: ReadonlyMap<string, Misfits>;
}

export interface FinalizedParts {
  readonly written: readonly WrittenPart[];
  /** Parts that go, and nothing takes their place. */
  readonly gone: readonly string[];
  readonly result: Omit<LoadResult, 'table'>;
}

interface Rows {
  readonly table: string;
  readonly modelId: number;
  readonly key: string;
  /** As it was read, without what is left out. */
  readonly coming: TableData;
  /** All rows that are there, as the model has them; only read where it takes them. */
  readonly existing: () => TableData | undefined;
  /** The rows of some of the parts that are there. */
  readonly partOf: (ids: readonly number[]) => TableData;
  /** Brings coming rows onto those that are there, by key. */
  readonly merge: ((coming: TableData) => Merged) | undefined;
  readonly dryRun: boolean;
}

/** A part as it is to be, and whether its rows are others than before. */
interface Planned {
  readonly part: string;
  readonly rows: () => TableData;
  readonly count: number;
  readonly changes: boolean;
}

/**
 * Writes the parts that a load changes, each with dictionaries of its own, and leaves the others as they are:
 * their bytes in the file stay. Rows that are there and were never parted by this rule are, with the first
 * load. Throws PartsError where a part that would change is closed, or where rows do not fit together.
 */
export function finalizeParts(tables: Tables, order: PartsOrder, rows: Rows): FinalizedParts {
  const { partition, current } = order;
  const rule = partedBy(partition);
  const isSplit = current.every((p) => p.partedBy === rule);
  const { coming, notChosen } = chosenRows(rows.coming, order);
  const merged = rows.merge?.(coming);
  // Where all is replaced, rows that were never parted need not even have the column.
  const isKnown = isSplit || order.mode !== 'all' || merged !== undefined;
  const before = new Map<string, number>(
    isSplit
      ? current.map(({ part, rows: count }) => [part, count])
      : isKnown
        ? partsOf(rows.existing(), partition).map(({ part, rows: own }) => [part, own.length])
        : [],
  );
  const planned = merged
    ? plannedMerge(merged.table, order, rows, isSplit)
    : plannedParts(coming, order, rows, isSplit);
  const names = new Set(planned.map(({ part }) => part));
  // What was never parted by this rule lies under other names: it goes as a whole.
  const stays = (part: string) => isSplit && !merged && order.mode !== 'all' && !names.has(part);
  const gone = [...before.keys()].filter((part) => !names.has(part) && !stays(part));
  refuseClosed(rows.table, partition, [...planned.filter((p) => p.changes).map((p) => p.part), ...gone]);
  const changed = planned.filter((p) => p.changes || !isSplit);
  const written = rows.dryRun ? [] : writeParts(tables, changed, order, rows, rule);
  const shown = [
    ...planned
      .filter((p) => p.changes)
      .map(({ part, count }) => ({ name: part, rows: count, was: before.get(part) ?? null })),
    ...gone.map((part) => ({ name: part, rows: 0, was: before.get(part)! })),
  ];
  const removed = isKnown
    ? shown.reduce((sum, { was }) => sum + (was ?? 0), 0)
    : current.reduce((sum, p) => sum + p.rows, 0);
  const plain = {
    counts: { added: coming.rowCount, changed: 0, unchanged: 0, refused: 0 },
    removed: order.mode === 'add' ? 0 : removed,
    refused: [],
    changes: [],
  };
  const own = merged
    ? { counts: merged.counts, removed: 0, refused: [...merged.refused], changes: [...merged.changes] }
    : plain;
  return {
    written,
    gone: isSplit ? gone : current.map(({ part }) => part).filter((part) => !names.has(part)),
    result: {
      ...own,
      leftOut: recordsOf(rows.coming.problems),
      rows: merged ? merged.table.rowCount : coming.rowCount,
      parts: shown,
      ...(notChosen > 0 ? { notChosen } : {}),
    },
  };
}

const byOf = (table: TableData, { by }: Partition) => {
  const column = table.columns.get(by.toLowerCase());
  if (!column)
    throw new PartsError(
      `the rows have no column ${by}, by which the table is kept in parts: load it with them`,
    );
  return column;
};

const partsOf = (table: TableData | undefined, partition: Partition): readonly PartedRows[] =>
  table ? partedRows(byOf(table, partition), partition.every) : [];

function chosenRows(
  coming: TableData,
  { only, partition }: PartsOrder,
): { coming: TableData; notChosen: number } {
  if (only === undefined) return { coming, notChosen: 0 };
  const parts = partsOf(coming, partition);
  const isTaken = new Uint8Array(coming.rowCount);
  let taken = 0;
  for (const { part, rows } of parts) {
    if (!only.includes(part)) continue;
    taken += rows.length;
    for (const row of rows) isTaken[row] = 1;
  }
  const rows = new Uint32Array(taken);
  for (let row = 0, at = 0; row < isTaken.length; row++) if (isTaken[row] === 1) rows[at++] = row;
  const chosen = selectRows(coming, rows);
  return {
    coming: { ...chosen, problems: coming.problems, ...named(coming) },
    notChosen: coming.rowCount - rows.length,
  };
}

const named = ({ sourceNames }: TableData) => (sourceNames ? { sourceNames } : {});

/** Gives some rows as a table of their own, with no more in its dictionaries than they have. */
function rowCutter(table: TableData): (rows: Uint32Array) => TableData {
  const cutters = [...table.columns.values()].map(columnCutter);
  const { lineOf } = table;
  return (rows) =>
    tableOf(
      table.name,
      cutters.map((cut) => cut(rows)),
      {
        rowCount: rows.length,
        ...(lineOf ? { lineOf: (row: number) => lineOf(rows[row]!) } : {}),
        ...named(table),
      },
    );
}

function plannedParts(
  coming: TableData,
  { partition, mode, current }: PartsOrder,
  { existing, partOf, table }: Rows,
  isSplit: boolean,
): Planned[] {
  const parts = partsOf(coming, partition);
  const names = new Set(parts.map(({ part }) => part));
  const known = isSplit || mode === 'all' ? [] : partsOf(existing(), partition);
  const cutComing = rowCutter(coming);
  let cutter: ReturnType<typeof rowCutter> | undefined;
  const cutExisting = (rows: Uint32Array) => (cutter ??= rowCutter(existing()!))(rows);
  /** The rows of a part that are there already. */
  const there = (part: string): (() => TableData) | undefined => {
    const ids = current.filter((p) => p.part === part).map((p) => p.id);
    if (isSplit) return ids.length > 0 ? () => partOf(ids) : undefined;
    const own = known.find((p) => p.part === part);
    return own && (() => cutExisting(own.rows));
  };
  const planned = parts.map(({ part, rows }): Planned => {
    const had = mode === 'add' ? there(part) : undefined;
    const own = () => cutComing(rows);
    const before = had ? had().rowCount : 0;
    return {
      part,
      rows: had ? () => compactedTable(combineTables(table, [had(), own()])) : own,
      count: rows.length + before,
      changes: true,
    };
  });
  // Rows that are there and have not been parted yet are, and stay the same.
  const rest = known
    .filter(({ part }) => !names.has(part))
    .map(({ part, rows }): Planned => ({
      part,
      rows: () => cutExisting(rows),
      count: rows.length,
      changes: false,
    }));
  return [...planned, ...rest];
}

const compactedTable = (table: TableData): TableData => ({
  ...table,
  columns: new Map([...table.columns].map(([name, column]) => [name, compacted(column)])),
});

/** After a merge, the parts of all rows; those that are as they were are left alone. */
function plannedMerge(
  whole: TableData,
  { partition, current }: PartsOrder,
  { partOf }: Rows,
  isSplit: boolean,
): Planned[] {
  const cut = rowCutter(whole);
  return partsOf(whole, partition).map(({ part, rows }): Planned => {
    const had = isSplit ? current.filter((p) => p.part === part) : [];
    const own = cut(rows);
    const isSame = had.length > 0 && sameRows(partOf(had.map((p) => p.id)), own);
    return { part, rows: () => own, count: rows.length, changes: !isSame };
  });
}

/** Whether two tables have the same values row by row. Held in another way they count as different. */
function sameRows(a: TableData, b: TableData): boolean {
  if (a.rowCount !== b.rowCount || a.columns.size !== b.columns.size) return false;
  return [...b.columns].every(([name, column]) => {
    const other = a.columns.get(name);
    if (!other || other.size !== column.size) return false;
    const [own, theirs] = [column.encodedDomain(), other.encodedDomain()];
    return Buffer.compare(own, theirs) === 0 && other.codes.every((code, row) => code === column.codes[row]);
  });
}

function refuseClosed(table: string, { closed = [] }: Partition, touched: readonly string[]): void {
  const shut = touched.filter((part) => closed.includes(part));
  if (shut.length === 0) return;
  const several = shut.length > 1;
  throw new PartsError(
    `the ${several ? 'parts' : 'part'} ${shut.join(', ')} of ${table} ${several ? 'are' : 'is'} closed, and this load would change ${several ? 'them' : 'it'}: open ${several ? 'them' : 'it'} on Storage, or choose other parts to load`,
  );
}

function writeParts(
  tables: Tables,
  parts: readonly Planned[],
  order: PartsOrder,
  { modelId, key, coming }: Rows,
  rule: string,
): WrittenPart[] {
  const misfits = misfitsByPart(order, coming);
  const written: WrittenPart[] = [];
  try {
    for (const [k, { part, rows }] of parts.entries()) {
      // What became no row is no part's: it is listed with the first.
      const table = k === 0 ? { ...rows(), problems: coming.problems } : rows();
      const tableId = writeTable(tables, modelId, key, table, { part });
      tables.setPartedBy(tableId, rule);
      written.push({ tableId, part, misfits: misfits.get(part) ?? new Map() });
    }
  } catch (error) {
    for (const { tableId } of written) tables.drop(tableId);
    throw error;
  }
  return written;
}

/**
 * Values that do not fit, by the parts of their rows; where lines are not kept for all, with the first part.
 */
function misfitsByPart(
  { misfits, partition }: PartsOrder,
  coming: TableData,
): Map<string, Map<string, Misfits>> {
  const found = new Map<string, Map<string, Misfits>>();
  if (misfits.length === 0) return found;
  const parts = partsOf(coming, partition);
  const put = (part: string, column: string, own: Misfits) => {
    const known = found.get(part) ?? new Map<string, Misfits>();
    found.set(part, known.set(column, own));
  };
  const partOfLine = new Map<number, string>();
  for (const { part, rows } of parts)
    for (const row of rows) partOfLine.set(coming.lineOf?.(row) ?? row + 1, part);
  for (const [column, all] of misfits) {
    const [first] = parts;
    if (!all.all) {
      if (first) put(first.part, column, all);
      continue;
    }
    const texts = new Map<string, Map<string, MisfitText>>();
    for (const { text, line } of all.all) {
      const part = partOfLine.get(line) ?? first?.part ?? '';
      const own = texts.get(part) ?? new Map<string, MisfitText>();
      texts.set(part, own);
      noteMisfit(own, text, line);
    }
    for (const [part, own] of texts) put(part, column, misfitsOf([own])!);
  }
  return found;
}
