import { matchLookup } from '../lookupMatch.ts';
import type { StepKind } from '../step.ts';
import {
  few,
  keysText,
  pickedAs,
  pickedTexts,
  pickRows,
  renamedKeys,
  renamedPicks,
  stepColumn,
  withColumns,
} from '../step.ts';

/**
 * `{ "lookup": { "table": "price", "on": [["title_id", "title_id"]], "columns": ["amount"], "newest":
 * "valid_from" } }`: values of one row of another table beside each row. Rows neither come nor go; where no
 * row is found, the values are null.
 */
export const lookup: StepKind<'lookup'> = {
  verb: 'lookup',
  says: 'Values of one row of another table: the newest, or that of a day. No row comes or goes',
  empty: () => ({ table: '', on: [['', '']], columns: [] }),
  text: ({ table, on, columns, valid, newest }) => {
    const which = newest
      ? `, the newest by ${newest}`
      : valid?.to !== undefined
        ? `, valid on ${valid.at}`
        : valid
          ? `, the newest up to ${valid.at}`
          : '';
    return `${few(pickedTexts(columns))} in ${table} by ${keysText(on)}${which}`;
  },
  apply: (input, argument, setting) => {
    const other = setting.table(argument.table);
    const { rows } = matchLookup(input, other, argument);
    const brought = argument.columns.map((c) =>
      typeof c === 'string'
        ? pickRows(stepColumn(other, c, 'lookup'), c, rows)
        : pickRows(stepColumn(other, c.column, 'lookup'), c.as, rows),
    );
    const replaced = (name: string) => brought.some((b) => b.name.toLowerCase() === name.toLowerCase());
    return withColumns(input, [...[...input.columns.values()].filter((c) => !replaced(c.name)), ...brought]);
  },
  reads: ({ table }) => [table],
  origin: ({ table, columns }, name) => {
    const column = pickedAs(columns, name);
    return column === undefined ? undefined : { from: [{ table, column }] };
  },
  rename: ({ table, on, columns, valid, newest, ...rest }, names) => {
    const theirs = (name: string) => names.column(table, name);
    return {
      argument: {
        ...rest,
        table: names.table(table),
        on: renamedKeys(on, names, table),
        columns: renamedPicks(columns, theirs, names.own),
        ...(valid
          ? {
              valid: {
                at: names.own(valid.at),
                from: theirs(valid.from),
                ...(valid.to === undefined ? {} : { to: theirs(valid.to) }),
              },
            }
          : {}),
        ...(newest === undefined ? {} : { newest: theirs(newest) }),
      },
    };
  },
};
