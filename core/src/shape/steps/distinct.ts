import { combinations } from '../../columns/index.ts';
import type { StepKind } from '../step.ts';
import { selectRows } from '../step.ts';

/** `{ "distinct": true }`: of rows that are alike in all columns the first. */
export const distinct: StepKind<'distinct'> = {
  verb: 'distinct',
  says: 'Keep one of equal rows',
  empty: () => true,
  text: () => 'equal rows once',
  apply: (input) => {
    const { numbers } = combinations([...input.columns.values()], input.rowCount);
    // Numbers come in order of first appearance: the next one that has not been met is that of a new
    // combination.
    let met = 0;
    const kept: number[] = [];
    for (let row = 0; row < input.rowCount; row++) {
      if (numbers[row] !== met) continue;
      kept.push(row);
      met++;
    }
    return selectRows(input, kept);
  },
};
