import type { QueryState } from '@crease/contract';
import type { FormulaChecker } from '@crease/core/formula';
import type { Model, Query } from '@crease/core/model';
import { sameName, splitPath } from '@crease/core/model';
import { readAdditivity } from '@crease/core/query';
import { isNumeric } from '../../../parts/format.ts';

/** Sums of doubles depend on their order. */
const TOLERANCE = 1e-9;

/** A total that is not the sum of the rows above it. */
export interface NotAdded {
  readonly sum: number;
  /** What makes it so, as far as it is known. */
  readonly why: string;
}

/**
 * For each measure of an answer why its total is not the sum of its rows; nothing where it is, or where there
 * is no total.
 */
export function notAdded(
  answer: QueryState,
  query: Query,
  checker: FormulaChecker,
): (NotAdded | undefined)[] {
  const first = answer.columns.findIndex((c) => c.kind === 'measure');
  return answer.columns.slice(first).map((column, i) => {
    const total = answer.totals?.[i];
    if (first <= 0 || total === null || total === undefined || !isNumeric(column.type)) return undefined;
    const values = answer.rows.map((row) => row[first + i]).filter((value) => value !== null);
    const sum = values.reduce<number>((n, value) => n + Number(value), 0);
    const size = Math.max(Math.abs(sum), Math.abs(Number(total)));
    if (Math.abs(sum - Number(total)) <= TOLERANCE * size) return undefined;
    return { sum, why: reasonOf(column.name, query, checker) };
  });
}

function reasonOf(measure: string, query: Query, checker: FormulaChecker): string {
  const filters = query.filters ?? [];
  if (query.limit !== undefined) return 'only the first rows are listed';
  if (filters.some((f) => 'top' in f && !f.others)) return 'only the top is listed';
  if (filters.some((f) => 'having' in f))
    return 'a condition on measures leaves rows out, the total counts them';
  const typed = checker.measure(measure)?.typed;
  const via = checker.names.measure(measure)?.via;
  const tables = [...(query.by ?? []), ...(query.across ?? [])].flatMap((item) =>
    tableOf(
      checker.model,
      typeof item === 'string' ? item : 'hierarchy' in item ? item.hierarchy : `${item.of}.x`,
    ),
  );
  if (!typed || tables.length === 0) return 'it is worked out for all rows at once';
  for (const table of tables) {
    const read = readAdditivity(checker, typed, table, via === undefined ? [] : [via.toLowerCase()]);
    if (read.adds !== 'yes') return read.why ?? 'it does not add up';
  }
  return 'rows are left out: own rows that a tree hides, or members that are not listed';
}

const tableOf = (model: Model, path: string): Model['tables'] =>
  model.tables.filter((t) => sameName(t.name, splitPath(path)?.[0] ?? ''));
