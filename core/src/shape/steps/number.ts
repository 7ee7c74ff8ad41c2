import { columnOfCodes, codesArray, rangeDomain } from '../../columns/index.ts';
import { freeName, sameName } from '../../model/index.ts';
import { INTEGER } from '../../values/index.ts';
import type { StepKind } from '../step.ts';
import { withColumns } from '../step.ts';

/** `{ "number": "visit_key" }`: a surrogate key, 1 for the first row; in place of a column of that name. */
export const number: StepKind<'number'> = {
  verb: 'number',
  says: 'A surrogate key: 1 for the first row',
  empty: (columns) => freeName('number', columns),
  text: (name) => `${name} = 1, 2, 3 …`,
  apply: (input, name) => {
    const codes = codesArray(input.rowCount, input.rowCount);
    for (let row = 0; row < codes.length; row++) codes[row] = row + 1;
    return withColumns(input, [
      columnOfCodes(name, INTEGER, rangeDomain(1, Math.max(1, input.rowCount)), codes),
      ...[...input.columns.values()].filter((c) => !sameName(c.name, name)),
    ]);
  },
  rename: (name, names) => ({ argument: names.own(name) }),
  origin: (made, name) => (sameName(name, made) ? { names: [] } : undefined),
};
