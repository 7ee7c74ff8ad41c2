import { z } from 'zod';
import { columnOfNumbered } from '../../columns/index.ts';
import type { StepKind } from '../step.ts';
import { stepFormula, withColumns } from '../step.ts';

const schema = z.strictObject({ name: z.string().min(1), formula: z.string().min(1) });

/** `{ "derive": { "name": "late", "formula": "returned > due" } }`: one more column, or another in place of one. */
export const derive: StepKind<z.infer<typeof schema>> = {
  verb: 'derive',
  schema,
  apply: (input, { name, formula }, setting) => {
    const { type, numbered } = stepFormula(input, formula, setting);
    const { numbers, distinct } = numbered();
    const made = columnOfNumbered(name, type, numbers, distinct);
    return withColumns(input, [
      ...[...input.columns.values()].filter((c) => c.name.toLowerCase() !== name.toLowerCase()),
      made,
    ]);
  },
};
