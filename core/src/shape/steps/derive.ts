import { z } from 'zod';
import { columnOfValues } from '../../columns/index.ts';
import type { StepKind } from '../step.ts';
import { stepFormula, withColumns } from '../step.ts';

const schema = z.strictObject({ name: z.string().min(1), formula: z.string().min(1) });

/** `{ "derive": { "name": "late", "formula": "returned > due" } }`: one more column, or another in place of one. */
export const derive: StepKind<z.infer<typeof schema>> = {
  verb: 'derive',
  schema,
  apply: (input, { name, formula }, setting) => {
    const { evaluate, type } = stepFormula(input, formula, setting);
    const made = columnOfValues(
      name,
      type,
      Array.from({ length: input.rowCount }, (_, row) => evaluate(row)),
    );
    return withColumns(input, [...[...input.columns.values()].filter((c) => c.name.toLowerCase() !== name.toLowerCase()), made]);
  },
};
