import { z } from 'zod';
import { columnOfValues, columnValues, tableOf } from '../../columns/index.ts';
import type { Column } from '../../columns/index.ts';
import { JOIN_KINDS, joinedRows, meet } from '../meeting.ts';
import type { StepKind } from '../step.ts';
import { pickRows, stepColumn } from '../step.ts';

export const joinSchema = z.strictObject({
  table: z.string(),
  kind: z.enum(JOIN_KINDS),
  on: z.array(z.tuple([z.string(), z.string()])).min(1),
  columns: z.array(z.union([z.string(), z.strictObject({ column: z.string(), as: z.string() })])).optional(),
});

/** `{ "join": { "table": "price", "kind": "left", "on": [["title_id", "title_id"]], "columns": ["amount"] } }`: rows side by side; null keys meet nothing. */
export const join: StepKind<z.infer<typeof joinSchema>> = {
  verb: 'join',
  schema: joinSchema,
  apply: (input, { table, kind, on, columns }, setting) => {
    const other = setting.table(table);
    const { left, right } = joinedRows(meet(input, other, on), kind);
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
};

function mergedKey(own: Column, theirs: Column, left: Int32Array, right: Int32Array): Column {
  const [a, b] = [columnValues(own), columnValues(theirs)];
  return columnOfValues(
    own.name,
    own.type,
    Array.from(left, (row, i) => (row >= 0 ? a[own.codes[row]!]! : b[theirs.codes[right[i]!]!]!)),
  );
}
