import { sameName } from '../../model/index.ts';
import type { StepKind } from '../step.ts';

/** `{ "from": "loan" }`: the rows of a table. It is the first step, and only that. */
export const from: StepKind<'from'> = {
  verb: 'from',
  empty: () => '',
  text: (table) => `the rows of ${table}`,
  apply: (_input, table, setting) => setting.table(table),
  reads: (table) => [table],
  origin: (table, name, tables) =>
    tables.has(table, name)
      ? { from: [{ table, column: name }] }
      : // A count of its rows names the table.
        { from: sameName(name, table) ? [{ table, column: undefined }] : [] },
  rename: (table, names) => ({
    argument: names.table(table),
    isRenamed: names.old !== undefined && names.column(table, names.old) !== names.old,
  }),
  quantities: (table, _before, tables) => tables.quantities(table),
};
