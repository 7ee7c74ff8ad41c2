import { DataError } from '../../query/index.ts';
import type { StepKind } from '../step.ts';
import { selectRows, stepFormula } from '../step.ts';

/** `{ "filter": "kind = 'loan'" }`: keeps the rows for which the condition is true. */
export const filter: StepKind<'filter'> = {
  verb: 'filter',
  says: 'Keep the rows for which a condition is true',
  empty: () => 'true',
  text: (condition) => `rows where ${condition}`,
  apply: (input, condition, setting) => {
    const { numbered, type } = stepFormula(input, condition, setting);
    if (type.kind !== 'boolean')
      throw new DataError(`the step filter needs a condition: ${condition} is ${type.kind}`);
    const { numbers, distinct } = numbered();
    const yes = distinct.indexOf(true) + 1;
    const kept = new Uint32Array(input.rowCount);
    let count = 0;
    if (yes > 0) for (let row = 0; row < numbers.length; row++) if (numbers[row] === yes) kept[count++] = row;
    return selectRows(input, kept.subarray(0, count));
  },
  rename: (condition, names) => ({ argument: names.formula(condition) }),
};
