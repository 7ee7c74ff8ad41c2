import type { ModelColumn, Table } from '../model/index.ts';
import { sameName } from '../model/index.ts';
import type { StepState } from './trace.ts';

/** What a derived table declares when its steps give other columns than before. */
export interface Declared {
  readonly table: Table;
  readonly added: readonly string[];
  readonly removed: readonly string[];
}

/**
 * The table with its columns as the last state gives them: those that stay keep what is said of them, new
 * ones are quantities where they are totalled and attributes else, those that are gone leave the key, the
 * label and the snapshot too.
 */
export function declaredAfter(table: Table, last: StepState): Declared {
  const given = (c: ModelColumn) => c.sourceName ?? c.name;
  const kept = (name: string) =>
    table.columns.find((c) => c.formula === undefined && sameName(given(c), name));
  const columns = last.columns.map(({ name, type }): ModelColumn => {
    const total = last.totals.some((t) => t.column === name);
    return kept(name) ?? { name, type, use: total ? 'quantity' : 'attribute' };
  });
  const formulas = table.columns.filter(
    (c) => c.formula !== undefined && !columns.some((made) => sameName(made.name, c.name)),
  );
  const removed = table.columns
    .filter((c) => c.formula === undefined && !last.columns.some(({ name }) => sameName(name, given(c))))
    .map((c) => c.name);
  const added = last.columns.filter(({ name }) => !kept(name)).map(({ name }) => name);
  const gone = (name: string | null | undefined) =>
    typeof name === 'string' && removed.some((r) => sameName(r, name));
  const { key, label, snapshot, ...rest } = table;
  return {
    table: {
      ...rest,
      ...(key ? { key: key.filter((name) => !gone(name)) } : {}),
      ...(label !== undefined && !gone(label) ? { label } : {}),
      ...(snapshot !== undefined ? { snapshot: gone(snapshot) ? null : snapshot } : {}),
      columns: [...columns, ...formulas],
    },
    added,
    removed,
  };
}
