import { judgeClaim, listClaims } from '../claims/index.ts';
import type { TableData } from '../columns/index.ts';
import { columnOfValues, columnValues, tableOf, valueAt } from '../columns/index.ts';
import type { Model } from '../model/index.ts';
import { applyEdit } from '../edit/index.ts';
import { createTables } from '../interchange/index.ts';
import { ModelData } from '../query/index.ts';
import { retyped } from '../shape/index.ts';
import { DOUBLE, TEXT } from '../values/index.ts';
import { adviseTypes } from './index.ts';

const repeated = (values: (string | null)[]) =>
  Array.from({ length: 60 }, (_, i) => values[i % values.length]!);
const rows: Record<string, TableData> = {
  loan: tableOf('loan', [
    columnOfValues('branch_no', TEXT, repeated(['10', '20', null, '30'])),
    columnOfValues('shelf', TEXT, repeated(['007', '008', '010'])),
    columnOfValues('lent', TEXT, repeated(['31.01.2026', '01.02.2026', null])),
    columnOfValues(
      'fine',
      DOUBLE,
      Array.from({ length: 60 }, (_, i) => (i % 7) / 4),
    ),
    columnOfValues(
      'weight',
      DOUBLE,
      Array.from({ length: 60 }, (_, i) => Math.sqrt(i)),
    ),
  ]),
  branch: tableOf('branch', [
    columnOfValues('no', TEXT, ['10', '20', '30']),
    columnOfValues('name', TEXT, ['Ash', 'Elm Hill', 'Oak']),
  ]),
};
const model: Model = {
  crease: 1,
  name: 'small',
  tables: [
    {
      name: 'loan',
      role: 'fact',
      source: { file: 'loan.csv' },
      columns: [
        { name: 'branch_no', type: 'text', use: 'reference' },
        { name: 'shelf', type: 'text' },
        { name: 'lent', type: 'text' },
        { name: 'fine', type: 'double', use: 'quantity' },
        { name: 'weight', type: 'double', use: 'quantity' },
      ],
    },
    {
      name: 'branch',
      role: 'dimension',
      key: ['no'],
      source: { file: 'branch.csv' },
      columns: [
        { name: 'no', type: 'text', use: 'key' },
        { name: 'name', type: 'text' },
      ],
    },
  ],
  relationships: [
    {
      name: 'loan_branch',
      from: { table: 'loan', columns: ['branch_no'] },
      to: { table: 'branch', columns: ['no'] },
    },
  ],
};
const dataOf = (of: Model) =>
  new ModelData(of, (name) => retyped(rows[name]!, of.tables.find((t) => t.name === name)!.columns), 0);

test('types are advised with their reason, and both ends of a relationship change together', () => {
  const found = adviseTypes(dataOf(model));
  expect(found.map((a) => [`${a.table}.${a.column}`, a.to])).toEqual([
    ['loan.branch_no', 'integer'],
    // Leading zeros tell that it is no number; all are as long.
    ['loan.shelf', 'text of up to 3'],
    ['loan.lent', 'date'],
    ['loan.fine', 'decimal(5,2)'],
    ['branch.no', 'integer'],
    ['branch.name', 'text of up to 20'],
  ]);
  expect(found[0]!.reason).toMatch(
    /integer keys join faster, and it takes \d+ bytes instead of \d+; branch\.no changes with it/,
  );
});

test('taken, the rows have the new types, nothing else is advised, and the DDL follows', () => {
  const taken = adviseTypes(dataOf(model)).reduce((m, a) => applyEdit(m, a.edit), model);
  const data = dataOf(taken);
  expect(adviseTypes(data)).toEqual([]);
  const branch = data.column('loan', 'branch_no');
  expect([0, 1, 2, 3].map((row) => valueAt(branch, row))).toEqual([10, 20, null, 30]);
  expect(columnValues(data.column('loan', 'lent'))).toEqual([null, 20484, 20485]);
  expect(data.table('loan').misfits.size).toBe(0);
  const ddl = createTables(taken, 'postgresql');
  expect(ddl).toContain('"branch_no" bigint');
  expect(ddl).toContain('"shelf" varchar(3)');
  expect(ddl).toContain('"fine" numeric(5, 2)');
});

test('what is none of a new type is null, and is listed with its line', () => {
  const table = retyped(rows.loan!, [{ name: 'lent', type: 'integer' }]);
  const lines = (first: number) => Array.from({ length: 20 }, (_, i) => first + 3 * i);
  expect(table.columns.get('lent')).toMatchObject({ nulls: 60, distinct: 0 });
  expect(table.misfits.get('lent')).toMatchObject({
    rows: 40,
    distinct: 2,
    sample: [
      { text: '31.01.2026', rows: 20, lines: lines(1) },
      { text: '01.02.2026', rows: 20, lines: lines(2) },
    ],
  });
  expect(retyped(rows.branch!, [{ name: 'no', type: 'text' }])).toBe(rows.branch);
});

test('texts beyond their length break the claim, and the remedy makes room for the longest, however rare it is', () => {
  const texts = [
    ...Array.from({ length: 40 }, (_, i) => `title ${String(i).padStart(2, '0')}`),
    'a much longer title than all others',
  ];
  const short: Model = {
    crease: 1,
    name: 'short',
    tables: [
      {
        name: 'title',
        role: 'dimension',
        source: { file: 'title.csv' },
        columns: [{ name: 'name', type: 'text', length: 5 }],
      },
    ],
  };
  // Each of the short ones stands twice: the longest is the rarest.
  const table = tableOf('title', [columnOfValues('name', TEXT, [...texts.slice(0, 40), ...texts])]);
  const judge = (model: Model) => {
    const data = new ModelData(model, () => table, 0);
    const claim = listClaims(model, data.checker).find((c) => c.kind === 'type-holds')!;
    return { claim, judgement: judgeClaim(claim, data) };
  };
  const { claim, judgement } = judge(short);
  expect(claim.says).toBe('every title.name is text of at most 5 characters');
  expect(judgement).toMatchObject({ verdict: 'broken', evidence: { against: 81, distinct: 41 } });
  const remedies = claim.remedies!(judgement);
  expect(remedies.map((r) => r.id)).toEqual(['lengthen']);
  expect(judge(applyEdit(short, remedies[0]!.edit)).judgement.verdict).toBe('holds');
});
