import { columnOfValues, columnValues, tableOf } from '../../columns/index.ts';
import type { Column } from '../../columns/index.ts';
import { sameName } from '../../model/index.ts';
import { joinedRows, matchJoin } from '../joinMatch.ts';
import type { StepKind, StepRenaming } from '../step.ts';
import {
  few,
  keysText,
  pickedAs,
  pickedTexts,
  pickRows,
  renamedKeys,
  renamedPicks,
  renamedQuantities,
  stepColumn,
  StepRefusal,
} from '../step.ts';

/**
 * `{ "join": { "table": "price", "kind": "left", "on": [["title_id", "title_id"]], "columns": ["amount"] }
 * }`: rows side by side; null keys meet nothing.
 */
export const join: StepKind<'join'> = {
  verb: 'join',
  says: 'Add columns of another table, row by row, by equal keys',
  empty: () => ({ table: '', kind: 'left', on: [['', '']] }),
  text: ({ table, kind, on, columns }) =>
    `${kind}, with ${table} on ${keysText(on)}${columns ? `, adds ${few(pickedTexts(columns))}` : ''}`,
  apply: (input, { table, kind, on, columns }, setting) => {
    const other = setting.table(table);
    const { left, right } = joinedRows(matchJoin(input, other, on), kind);
    const wanted =
      columns ??
      [...other.columns.values()]
        .map((c) => c.name)
        .filter((name) => !on.some(([, theirs]) => theirs.toLowerCase() === name.toLowerCase()));
    const brought = wanted.map((c) =>
      typeof c === 'string'
        ? pickRows(stepColumn(other, c, 'join'), c, right)
        : pickRows(stepColumn(other, c.column, 'join'), c.as, right),
    );
    const own = [...input.columns.values()].map((c) => {
      const pair = on.find(([name]) => name.toLowerCase() === c.name.toLowerCase());
      // In a full join a row that only the other side has keeps its key.
      return pair && kind === 'full'
        ? mergedKey(c, stepColumn(other, pair[1], 'join'), left, right)
        : pickRows(c, c.name, left);
    });
    return tableOf(input.name, [...own, ...brought], {
      rowCount: left.length,
      ...(input.lineOf ? { lineOf: (row: number) => (left[row]! < 0 ? 0 : input.lineOf!(left[row]!)) } : {}),
    });
  },
  reads: ({ table }) => [table],
  origin: ({ table, columns, on }, name, tables) => {
    const column = columns
      ? pickedAs(columns, name)
      : tables.has(table, name) && !on.some(([, theirs]) => sameName(theirs, name))
        ? name
        : undefined;
    return column === undefined ? undefined : { from: [{ table, column }] };
  },
  quantities: ({ table, columns }, before, tables) => {
    const theirs = tables.quantities(table);
    const all = new Set([...before, ...theirs.map((name) => name.toLowerCase())]);
    return [...theirs, ...renamedQuantities(columns, all)];
  },
  rename: ({ table, kind, on, columns }, names) => {
    const argument = {
      table: names.table(table),
      kind,
      on: renamedKeys(on, names, table),
      ...(columns ? { columns: renamedPicks(columns, (name) => names.column(table, name), names.own) } : {}),
    };
    const brings = columns === undefined && bringsRenamed(table, on, names);
    return { argument, isRenamed: names.isRenamed || brings };
  },
};

/**
 * Whether a join that brings all columns brings the renamed one. Throws StepRefusal where it would no longer
 * replace one of its name.
 */
function bringsRenamed(
  table: string,
  on: readonly (readonly [string, string])[],
  names: StepRenaming,
): boolean {
  const { old } = names;
  if (old === undefined || !names.tables.has(table, old)) return false;
  if (on.some(([, theirs]) => sameName(theirs, old))) return false;
  const isTheirs = names.column(table, old) !== old;
  if (names.stood(old) && names.isRenamed !== isTheirs)
    throw new StepRefusal(
      `join adds all columns of ${table}, and one of them replaces ${old}: list the columns to add first`,
    );
  return isTheirs;
}

function mergedKey(own: Column, theirs: Column, left: Int32Array, right: Int32Array): Column {
  const [a, b] = [columnValues(own), columnValues(theirs)];
  return columnOfValues(
    own.name,
    own.type,
    Array.from(left, (row, i) => (row >= 0 ? a[own.codes[row]!]! : b[theirs.codes[right[i]!]!]!)),
  );
}
