import { columnOfNumbered } from '../../columns/index.ts';
import { namesIn } from '../../formula/index.ts';
import { freeName, sameName } from '../../model/index.ts';
import type { StepKind } from '../step.ts';
import { stepFormula, withColumns } from '../step.ts';

/**
 * `{ "derive": { "name": "late", "formula": "returned > due" } }`: one more column, or another in place of
 * one.
 */
export const derive: StepKind<'derive'> = {
  verb: 'derive',
  says: 'Add a column by formula',
  empty: (columns) => ({ name: freeName('column', columns), formula: 'null' }),
  text: ({ name, formula }) => `${name} = ${formula}`,
  apply: (input, { name, formula }, setting) => {
    const { type, numbered } = stepFormula(input, formula, setting);
    const { numbers, distinct } = numbered();
    const made = columnOfNumbered(name, type, numbers, distinct);
    return withColumns(input, [
      ...[...input.columns.values()].filter((c) => c.name.toLowerCase() !== name.toLowerCase()),
      made,
    ]);
  },
  origin: ({ name: made, formula }, name) =>
    sameName(name, made) ? { names: namesIn(formula), by: formula } : undefined,
  // Where it puts a column in place of one, it goes on doing so.
  rename: ({ name, formula }, names) => ({
    argument: { name: names.own(name), formula: names.formula(formula) },
  }),
};
