import { z } from 'zod';
import { keyNumbers, rowLists } from '../../relate/index.ts';
import { columnOfValues, columnValues, tableOf } from '../../columns/index.ts';
import type { Column } from '../../columns/index.ts';
import type { StepKind } from '../step.ts';
import { pickRows, stepColumn } from '../step.ts';

const schema = z.strictObject({
  table: z.string(),
  kind: z.enum(['inner', 'left', 'full']),
  on: z.array(z.tuple([z.string(), z.string()])).min(1),
  columns: z.array(z.union([z.string(), z.strictObject({ column: z.string(), as: z.string() })])).optional(),
});

/** `{ "join": { "table": "price", "kind": "left", "on": [["title_id", "title_id"]], "columns": ["amount"] } }`: rows side by side; null keys meet nothing. */
export const join: StepKind<z.infer<typeof schema>> = {
  verb: 'join',
  schema,
  apply: (input, { table, kind, on, columns }, setting) => {
    const other = setting.table(table);
    const keys = keyNumbers(
      on.map(([own]) => stepColumn(input, own, 'join')),
      on.map(([, theirs]) => stepColumn(other, theirs, 'join')),
    );
    const lists = rowLists(keys.to, keys.size);
    const met = new Uint8Array(other.rowCount);
    const [left, right]: [number[], number[]] = [[], []];
    for (let row = 0; row < input.rowCount; row++) {
      const key = keys.from[row]!;
      const [from, to] = key === 0 ? [0, 0] : [lists.starts[key]!, lists.starts[key + 1]!];
      for (let i = from; i < to; i++) {
        left.push(row);
        right.push(lists.rows[i]!);
        met[lists.rows[i]!] = 1;
      }
      if (from === to && kind !== 'inner') {
        left.push(row);
        right.push(-1);
      }
    }
    if (kind === 'full') {
      for (let row = 0; row < other.rowCount; row++) {
        if (met[row]) continue;
        left.push(-1);
        right.push(row);
      }
    }
    const wanted =
      columns ??
      [...other.columns.values()]
        .map((c) => c.name)
        .filter((name) => !on.some(([, theirs]) => theirs.toLowerCase() === name.toLowerCase()));
    const brought = wanted.map((c) =>
      typeof c === 'string' ? pickRows(stepColumn(other, c, 'join'), c, right) : pickRows(stepColumn(other, c.column, 'join'), c.as, right),
    );
    const own = [...input.columns.values()].map((c) => {
      const pair = on.find(([name]) => name.toLowerCase() === c.name.toLowerCase());
      // In a full join a row that only the other side has keeps its key.
      return pair && kind === 'full' ? mergedKey(c, stepColumn(other, pair[1], 'join'), left, right) : pickRows(c, c.name, left);
    });
    return tableOf(input.name, [...own, ...brought], {
      rowCount: left.length,
      ...(input.lineOf ? { lineOf: (row: number) => (left[row]! < 0 ? 0 : input.lineOf!(left[row]!)) } : {}),
    });
  },
};

function mergedKey(own: Column, theirs: Column, left: readonly number[], right: readonly number[]): Column {
  const [a, b] = [columnValues(own), columnValues(theirs)];
  return columnOfValues(
    own.name,
    own.type,
    left.map((row, i) => (row >= 0 ? a[own.codes[row]!]! : b[theirs.codes[right[i]!]!]!)),
  );
}
