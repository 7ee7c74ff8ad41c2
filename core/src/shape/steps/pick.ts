import { renamed } from '../../columns/index.ts';
import type { StepKind } from '../step.ts';
import {
  few,
  pickedAs,
  pickedTexts,
  renamedPicks,
  renamedQuantities,
  stepColumn,
  withColumns,
} from '../step.ts';

/**
 * `{ "pick": ["branch", { "column": "amt", "as": "amount" }] }`: keeps these columns, in this order, under
 * these names.
 */
export const pick: StepKind<'pick'> = {
  verb: 'pick',
  says: 'Keep some columns, in an order and under names of your choice',
  empty: (columns) => columns.map((c) => c.name),
  text: (columns) => few(pickedTexts(columns)),
  apply: (input, columns) =>
    withColumns(
      input,
      columns.map((c) =>
        typeof c === 'string'
          ? stepColumn(input, c, 'pick')
          : renamed(stepColumn(input, c.column, 'pick'), c.as),
      ),
    ),
  origin: (columns, name) => {
    const column = pickedAs(columns, name);
    return column === undefined ? undefined : { names: [column] };
  },
  quantities: renamedQuantities,
  rename: (columns, names) => ({ argument: renamedPicks(columns, names.own), isRenamed: false }),
};
