import { z } from 'zod';
import { DataError } from '../../query/index.ts';
import type { StepKind } from '../step.ts';
import { selectRows, stepFormula } from '../step.ts';

/** `{ "filter": "kind = 'loan'" }`: keeps the rows for which the condition is true. */
export const filter: StepKind<string> = {
  verb: 'filter',
  schema: z.string().min(1),
  apply: (input, condition, setting) => {
    const { evaluate, type } = stepFormula(input, condition, setting);
    if (type.kind !== 'boolean') throw new DataError(`the step filter needs a condition: ${condition} is ${type.kind}`);
    return selectRows(
      input,
      Array.from({ length: input.rowCount }, (_, row) => row).filter((row) => evaluate(row) === true),
    );
  },
};
