import type { LoadResult } from '@crease/contract';
import type { ReadProblem, TableData } from '@crease/core/columns';
import { calledNow, PartsError, recordsOf } from '@crease/core/columns';
import type { MergeOrder } from '@crease/core/load';
import { mergeRows } from '@crease/core/load';
import { retyped, selectRows } from '@crease/core/shape';
import type { Replaces, Tables } from '../store/index.ts';
import type { FinalizedParts, PartsOrder } from './finalizeParts.ts';
import { finalizeParts } from './finalizeParts.ts';
import { writeTable } from './writeTable.ts';

/** What is left to do with rows that have been read and are not visible yet. */
export interface FinalizeOrder {
  /** The table that they lie in. */
  readonly tableId: number;
  readonly modelId: number;
  readonly key: string;
  readonly table: string;
  readonly replaces: Replaces;
  /** Rows that do not fit their columns' types: they are left out and listed. */
  readonly leftOut: readonly ReadProblem[];
  /** By key onto the rows that are there; else these take their place. */
  readonly merge: MergeOrder | undefined;
  /** Version of the rows that are there. */
  readonly existing: string | undefined;
  /** Columns of the model, under which those rows are known. */
  readonly columns: readonly {
    readonly name: string;
    readonly sourceName?: string | undefined;
    readonly type: string;
    readonly pattern?: string | undefined;
    readonly formula?: string | undefined;
  }[];
  /** Key columns of the model's table, by which a dry run tells what is new. */
  readonly tableKey: readonly string[];
  readonly dryRun: boolean;
  /** Of a table that is kept in parts. */
  readonly parts: PartsOrder | undefined;
}

export interface Finalized {
  /** The table to make visible; undefined for a dry run, or where the rows stay as they were written. */
  readonly tableId: number | undefined;
  readonly asTheyAre?: boolean;
  /** Of a table that is kept in parts, in place of one table. */
  readonly parts?: FinalizedParts;
  readonly result: Omit<LoadResult, 'table'>;
}

/**
 * Leaves rows out, merges by key, and writes what comes of it, not visible yet. Throws PartsError where rows
 * do not fit together.
 */
export function finalizeLoad(tables: Tables, order: FinalizeOrder): Finalized {
  const { tableId, modelId, key, replaces, merge, dryRun } = order;
  const coming = without(tables.read(String(tableId), order.table), order.leftOut);
  if (order.parts) return inParts(tables, order, order.parts, coming);
  const existing =
    order.existing === undefined
      ? undefined
      : asDeclared(tables.read(order.existing, order.table), order.columns);
  // Onto no rows at all, rows come by the same rules.
  const merged = merge ? mergeRows(existing ?? emptyLike(coming), coming, merge) : undefined;
  const table = merged
    ? { ...merged.table, problems: [...merged.table.problems, ...merged.refused] }
    : coming;
  const leftOut = recordsOf(coming.problems);
  const result = merged
    ? {
        counts: merged.counts,
        removed: 0,
        leftOut,
        rows: table.rowCount,
        refused: [...merged.refused],
        changes: [...merged.changes],
      }
    : { ...compared(existing, coming, order), leftOut, rows: table.rowCount };
  if (dryRun) return { tableId: undefined, result };
  if (!merged && order.leftOut.length === 0) return { tableId: undefined, asTheyAre: true, result };
  return { tableId: writeTable(tables, modelId, key, table, merge ? 'all' : replaces), result };
}

function inParts(tables: Tables, order: FinalizeOrder, parts: PartsOrder, coming: TableData): Finalized {
  const { modelId, key, table, merge, dryRun } = order;
  const read = (version: string) => asDeclared(tables.read(version, table), order.columns);
  let whole: TableData | undefined;
  const existing = () => (whole ??= order.existing === undefined ? undefined : read(order.existing));
  const found = finalizeParts(tables, parts, {
    table,
    modelId,
    key,
    coming,
    existing,
    partOf: (ids) => read(ids.join('+')),
    merge: merge && ((own) => mergeRows(existing() ?? emptyLike(own), own, merge)),
    dryRun,
  });
  return { tableId: undefined, parts: found, result: found.result };
}

/** Stored rows under the names and with the types that the model has now. */
const asDeclared = (table: TableData, columns: FinalizeOrder['columns']): TableData =>
  retyped(calledNow(table, columns), columns);

const emptyLike = (table: TableData): TableData => ({
  ...selectRows(table, []),
  problems: [],
  misfits: new Map(),
});

function without(pending: TableData, leftOut: readonly ReadProblem[]): TableData {
  if (leftOut.length === 0) return pending;
  const lines = new Set(leftOut.map(({ line }) => line));
  const kept = Array.from({ length: pending.rowCount }, (_, row) => row).filter(
    (row) => !lines.has(pending.lineOf?.(row) ?? row + 1),
  );
  return {
    ...selectRows(pending, kept),
    sourceNames: pending.sourceNames,
    problems: [...pending.problems, ...leftOut],
  } as TableData;
}

/** Rows that take the place of others, told apart by the table's key where it has one. */
function compared(existing: TableData | undefined, coming: TableData, { tableKey, replaces }: FinalizeOrder) {
  const plain = {
    counts: { added: coming.rowCount, changed: 0, unchanged: 0, refused: 0 },
    removed: 0,
    refused: [],
    changes: [],
  };
  if (!existing || replaces !== 'all') return plain;
  const unknown = { ...plain, removed: existing.rowCount };
  if (tableKey.length === 0) return unknown;
  try {
    const { counts, changes } = mergeRows(existing, coming, {
      mode: 'update',
      key: tableKey,
      quantities: [],
    });
    // Rows whose key tells nothing are stored all the same: they count as new.
    const added = counts.added + counts.refused;
    const removed = Math.max(0, existing.rowCount - counts.changed - counts.unchanged);
    return { counts: { ...counts, added, refused: 0 }, removed, refused: [], changes: [...changes] };
  } catch (error) {
    if (error instanceof PartsError) return unknown;
    throw error;
  }
}
