import { z } from 'zod';
import { Tuples } from '../../query/index.ts';
import type { StepKind } from '../step.ts';
import { selectRows } from '../step.ts';

/** `{ "distinct": true }`: of rows that are alike in all columns the first. */
export const distinct: StepKind<true> = {
  verb: 'distinct',
  schema: z.literal(true),
  apply: (input) => {
    const columns = [...input.columns.values()];
    const seen = new Tuples(columns.map((c) => c.domain.size + 1));
    const kept: number[] = [];
    for (let row = 0; row < input.rowCount; row++) {
      const before = seen.size;
      if (seen.add((p) => columns[p]!.codes[row]!) === before) kept.push(row);
    }
    return selectRows(input, kept);
  },
};
