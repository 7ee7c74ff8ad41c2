import { combinations, repeatedRows } from '../../columns/index.ts';
import { quoteName } from '../../formula/index.ts';
import type { Model, Table } from '../../model/index.ts';
import type { ModelData } from '../../query/index.ts';
import { stepsUnder } from '../../edit/index.ts';
import type { Remedy } from '../claim.ts';

/** Columns that may be tried as one more part of a key; more are not looked through. */
const MOST_TRIED = 12;
const MOST_OFFERED = 3;

/**
 * Ways out of a key that stands twice: one more column in the key, where the rows show that it is enough, and
 * taking rows that are alike in all columns once, where that leaves each key once. Without rows the columns
 * that are likely are offered untried.
 */
export function keyRemedies(model: Model, table: Table, data: ModelData | undefined): Remedy[] {
  const key = table.key!;
  const others = table.columns
    .filter((c) => c.formula === undefined && !key.includes(c.name) && c.use !== 'quantity')
    .slice(0, MOST_TRIED);
  const enough = others.filter((c) => isEnough(data, table, [...key, c.name])).slice(0, MOST_OFFERED);
  const found = enough.map((c): Remedy => ({
    id: `widen-key-${c.name}`,
    title: `Add ${c.name} to the key`,
    effect: `The key of ${table.name} becomes ${[...key, c.name].join(', ')}${data ? ', which no two rows share' : '. The claim is judged again on it'}.`,
    edit: [{ do: 'set-table', table: table.name, change: { key: [...key, c.name] } }],
  }));
  const once = data && areCopies(data, table) ? stepsUnder(model, table, [{ distinct: true }]) : undefined;
  if (once)
    found.unshift({
      id: 'take-distinct',
      title: 'Take each row once',
      effect: `Rows of one key are alike in all columns: ${table.name} is derived from its rows as they come, ${once.staging.name}, each once.`,
      edit: once.edit,
    });
  return found;
}

const isEnough = (data: ModelData | undefined, table: Table, key: readonly string[]): boolean =>
  data === undefined ||
  repeatedRows(
    key.map((name) => data.column(table.name, name)),
    data.rowCount(table.name),
  ).length === 0;

/** Whether rows that share a key are alike in all stored columns. */
function areCopies(data: ModelData, table: Table): boolean {
  const rows = data.rowCount(table.name);
  const all = [...data.table(table.name).columns.values()];
  const key = table.key!.map((name) => data.column(table.name, name));
  return combinations(all, rows).size === combinations(key, rows).size;
}

/** Rows without a key are left out by a step. */
export function keylessRemedies(model: Model, table: Table): Remedy[] {
  const condition = table.key!.map((name) => `${quoteName(name)} is not null`).join(' and ');
  const under = stepsUnder(model, table, [{ filter: condition }]);
  return under
    ? [
        {
          id: 'leave-out-keyless',
          title: 'Leave out the rows without a key',
          effect: `${table.name} is derived from its rows as they come, ${under.staging.name}, where ${condition}.`,
          edit: under.edit,
        },
      ]
    : [];
}
