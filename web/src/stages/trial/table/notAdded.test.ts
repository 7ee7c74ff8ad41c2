import type { QueryState } from '@crease/contract';
import { FormulaChecker } from '@crease/core/formula';
import type { Query } from '@crease/core/model';
import { notAdded } from './notAdded.ts';

const checker = new FormulaChecker({
  crease: 1,
  name: 'm',
  tables: [
    {
      name: 'loan',
      role: 'fact',
      columns: [
        { name: 'branch', type: 'text' },
        { name: 'card', type: 'text' },
      ],
    },
    { name: 'branch', role: 'dimension', key: ['code'], columns: [{ name: 'code', type: 'text' }] },
  ],
  relationships: [
    { name: 'at', from: { table: 'loan', columns: ['branch'] }, to: { table: 'branch', columns: ['code'] } },
  ],
  measures: [
    { name: 'Loans', formula: 'count(loan)' },
    { name: 'Cards', formula: 'count(distinct loan.card)' },
  ],
});
const answer = (measure: string, values: (number | null)[], total: number | null): QueryState => ({
  columns: [
    { name: 'branch.code', type: 'text', kind: 'by' },
    { name: measure, type: 'integer', kind: 'measure' },
  ],
  rows: values.map((value, i) => [`B${i}`, value]),
  totals: [total],
  unreached: [],
  elapsedMs: 1,
});
const query = (measure: string, more: Partial<Query> = {}): Query => ({
  by: ['branch.code'],
  measures: [measure],
  ...more,
});

test.each<
  [string, (number | null)[], number | null, Partial<Query>, { sum: number; why: RegExp } | undefined]
>([
  ['Loans', [1, 2, null], 3, {}, undefined],
  ['Loans', [1, 2], null, {}, undefined],
  ['Cards', [1, 2], 2, {}, { sum: 3, why: /distinct count/ }],
  ['Loans', [1, 2], 9, { limit: 2 }, { sum: 3, why: /first rows/ }],
  ['Loans', [1, 2], 9, { filters: [{ top: 2, of: 'Loans' }] }, { sum: 3, why: /top/ }],
  ['Loans', [1, 2], 9, { filters: [{ having: '"Loans" > 0' }] }, { sum: 3, why: /condition on measures/ }],
  ['Loans', [1, 2], 9, {}, { sum: 3, why: /left out/ }],
])('%s of %j beside a total of %p', (measure, values, total, more, expected) => {
  const [found] = notAdded(answer(measure, values, total), query(measure, more), checker);
  expect(found?.sum).toEqual(expected?.sum);
  if (expected) expect(found!.why).toMatch(expected.why);
});
