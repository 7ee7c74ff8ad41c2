import { freeName } from '@crease/core/model';
import type { Step } from './steps.ts';

interface StateColumn {
  readonly name: string;
  readonly type: string;
}

/** What may follow, in the words of SQL, and what each does. */
export const VERBS: readonly { readonly verb: string; readonly says: string }[] = [
  { verb: 'filter', says: 'Keep the rows for which a condition is true' },
  { verb: 'pick', says: 'Keep some columns, in an order and under names of your choice' },
  { verb: 'derive', says: 'Add a column by formula' },
  { verb: 'distinct', says: 'Keep one of equal rows' },
  { verb: 'aggregate', says: 'One row for each combination of some columns: a coarser grain' },
  { verb: 'join', says: 'Add columns of another table, row by row, by equal keys' },
  {
    verb: 'lookup',
    says: 'Values of one row of another table: the newest, or that of a day. No row comes or goes',
  },
  { verb: 'union', says: 'The rows of other tables below, columns matched by name' },
  { verb: 'sort', says: 'Another order of the rows' },
  { verb: 'number', says: 'A surrogate key: 1 for the first row' },
];

const numeric = (type: string) => /^(integer|decimal|double)/.test(type);

/** A step to start from, that can be run where there is anything to run it on. */
export function emptyStep(verb: string, columns: readonly StateColumn[]): Step {
  const first = columns[0]?.name ?? '';
  switch (verb) {
    case 'filter':
      return { filter: 'true' };
    case 'pick':
      return { pick: columns.map((c) => c.name) };
    case 'derive':
      return { derive: { name: freeName('column', columns), formula: 'null' } };
    case 'distinct':
      return { distinct: true };
    case 'aggregate': {
      const by = columns.filter((c) => !numeric(c.type)).slice(0, 2);
      return { aggregate: { by: by.map((c) => c.name), columns: {} } };
    }
    case 'join':
      return { join: { table: '', kind: 'left', on: [['', '']] } };
    case 'lookup':
      return { lookup: { table: '', on: [['', '']], columns: [] } };
    case 'union':
      return { union: [] };
    case 'sort':
      return { sort: [first] };
    default:
      return { number: freeName('number', columns) };
  }
}
