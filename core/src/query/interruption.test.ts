import { columnOfValues, tableOf } from '../columns/index.ts';
import type { Model } from '../model/index.ts';
import { INTEGER } from '../values/index.ts';
import { answerQuery, endsWhen, Interrupted, ModelData } from './index.ts';

const model: Model = {
  crease: 1,
  name: 'm',
  tables: [
    {
      name: 'loan',
      role: 'fact',
      columns: [
        { name: 'id', type: 'integer' },
        { name: 'copies', type: 'integer' },
      ],
    },
  ],
  measures: [{ name: 'Copies', formula: 'sum(loan.copies)' }],
};
const ROWS = 100_000;
const values = (of: (i: number) => number) => Array.from({ length: ROWS }, (_, i) => of(i));
const rows = tableOf('loan', [
  columnOfValues(
    'id',
    INTEGER,
    values((i) => i),
  ),
  columnOfValues(
    'copies',
    INTEGER,
    values((i) => i % 7),
  ),
]);
const query = { by: ['loan.id'], measures: ['Copies'], filters: [{ where: 'loan.copies + loan.id > 5' }] };

afterEach(() => endsWhen(() => false));

test.each(['plain', 'compiled'] as const)(
  '%s work ends in the middle, and the same data answer afterwards',
  (executor) => {
    const data = new ModelData(model, () => rows, 0, executor);
    let looks = 0;
    endsWhen(() => ++looks > 2);
    expect(() => answerQuery(data, query)).toThrow(Interrupted);
    expect(looks).toBe(3);
    endsWhen(() => false);
    expect(answerQuery(data, query).rows.length).toBeGreaterThan(ROWS - 10);
  },
);
