import fc from 'fast-check';
import type { TableData } from '../columns/index.ts';
import { columnOfValues, columnValues, tableOf } from '../columns/index.ts';
import type { Model, Table } from '../model/index.ts';
import { DataError } from '../query/index.ts';
import type { Step } from '../shape/index.ts';
import { runSteps } from '../shape/index.ts';
import { formatType, INTEGER } from '../values/index.ts';
import { applyEdit, EditError } from './index.ts';
import { tableLoader } from '../sources/index.ts';
import { fileOf } from '../model/index.ts';
import { cases } from '../../../tools/cases.ts';

const ROWS: Readonly<Record<string, Readonly<Record<string, readonly (number | null)[]>>>> = {
  loan: { a: [1, 1, 2, 3, 3, null], b: [5, 5, 6, 7, 8, 9], c: [1, 1, 2, null, 2, 3] },
  archive: { a: [1, 4, 4], c: [2, 2, 3], x: [7, 7, 8] },
  card: { c: [1, 2, 3], k: [1, 2, 3], from: [0, 2, 4] },
};

const dataOf = (table: string): TableData =>
  tableOf(
    table,
    Object.entries(ROWS[table]!).map(([name, values]) => columnOfValues(name, INTEGER, values)),
    { rowCount: Object.values(ROWS[table]!)[0]!.length },
  );

const stored: readonly Table[] = Object.entries(ROWS).map(([name, columns]) => ({
  name,
  role: 'staging',
  source: { file: `${name}.csv` },
  columns: Object.keys(columns).map((column) => ({ name: column, type: 'integer' })),
}));

/**
 * A model of the stored tables and one made of them by steps, with the columns that the steps give; undefined
 * where they cannot run.
 */
function modelWith(steps: readonly Step[]): Model | undefined {
  const bare: Table = { name: 'made', role: 'fact', source: { steps: steps as never }, columns: [] };
  try {
    const last = runSteps(bare, steps, { table: dataOf, today: 0 }).at(-1)!;
    const columns = [...last.columns.values()].map((c) => ({ name: c.name, type: formatType(c.type) }));
    return { crease: 1, name: 'm', tables: [...stored, { ...bare, columns }] };
  } catch (error) {
    if (error instanceof DataError) return undefined;
    throw error;
  }
}

/** The rows of the derived table: values by column, under the names that the table declares. */
function rowsOf(model: Model): object {
  const load = tableLoader(model, 0, (table) => {
    const data = dataOf(fileOf(table)!.file.replace('.csv', ''));
    const columns = table.columns.map((c) => {
      const found = data.columns.get((c.sourceName ?? c.name).toLowerCase())!;
      return columnOfValues(
        c.name,
        found.type,
        Array.from(found.codes, (code) => columnValues(found)[code]!),
      );
    });
    return tableOf(table.name, columns, { rowCount: data.rowCount });
  });
  return Object.fromEntries(
    [...load('made').columns.values()].map((c) => [
      c.name,
      Array.from(c.codes, (code) => columnValues(c)[code]),
    ]),
  );
}

const name = fc.constantFrom('a', 'b', 'c', 'x', 'k');
const other = fc.constantFrom('loan', 'archive', 'card');
const picked = fc.oneof(name, fc.record({ column: name, as: fc.constantFrom('a', 'c', 'x', 'z') }));
const on = fc.tuple(name, name).map((pair) => [pair]);
const step: fc.Arbitrary<Step> = fc.oneof(
  name.map((column) => ({ filter: `${column} > 1` })),
  name.map((column) => ({ filter: `loan.${column} is not null` })),
  fc.uniqueArray(picked, { minLength: 1, maxLength: 4 }).map((columns) => ({ pick: columns })),
  fc
    .record({ name: fc.constantFrom('c', 'x', 'z'), formula: name.map((column) => `${column} + 1 /* c */`) })
    .map((derive) => ({ derive })),
  fc.constant({ distinct: true }),
  fc
    .record({ by: fc.uniqueArray(name, { maxLength: 2 }), made: fc.constantFrom('c', 'n'), of: name })
    .map(({ by, made, of }) => ({
      aggregate: { by, columns: { [made]: `sum(${of})`, rows: 'count(loan)' } },
    })),
  fc
    .record(
      { table: other, kind: fc.constantFrom('left', 'inner', 'full'), on },
      { requiredKeys: ['table', 'kind', 'on'] },
    )
    .chain((join) =>
      fc
        .option(fc.array(picked, { minLength: 1, maxLength: 2 }))
        .map((columns) => ({ join: columns ? { ...join, columns } : join })),
    ),
  fc
    .record({ table: other, on, columns: fc.array(picked, { minLength: 1, maxLength: 2 }), newest: name })
    .map((lookup) => ({ lookup })),
  fc.record({ at: name, from: name, on }).map(({ at, from, on: keys }) => ({
    lookup: { table: 'card', on: keys, columns: ['k'], valid: { at, from } },
  })),
  other.map((table) => ({ union: [table] })),
  fc.array(name, { minLength: 1, maxLength: 2 }).map((sort) => ({ sort })),
  fc.constantFrom('number', 'c').map((made) => ({ number: made })),
  name.map((column) => ({ off: { filter: `${column} > 1` } })),
);
const steps = fc.array(step, { maxLength: 5 }).map((rest): Step[] => [{ from: 'loan' }, ...rest]);

test('a derived table has the same rows whatever goes by another name, or the new name is refused', () => {
  let [renamed, refused] = [0, 0];
  const things = [
    ...stored.map(({ name: table }) => ({ table })),
    ...stored.flatMap((t) => t.columns.map((c) => ({ table: t.name, column: c.name }))),
  ];
  fc.assert(
    fc.property(
      steps,
      fc.constantFrom(...things),
      fc.constantFrom('new name', 'z', 'x', 'n'),
      (list, of, to) => {
        const model = modelWith(list);
        fc.pre(model !== undefined);
        let after: Model;
        try {
          after = applyEdit(model!, [{ do: 'rename', of, to }]);
        } catch (error) {
          expect(error).toBeInstanceOf(EditError);
          refused++;
          return;
        }
        renamed++;
        expect(rowsOf(after)).toEqual(rowsOf(model!));
      },
    ),
    { numRuns: cases(600), seed: 7 },
  );
  expect(renamed).toBeGreaterThan(3 * refused);
});

const rename = (list: readonly Step[], column: string, to: string): Table =>
  applyEdit(
    {
      crease: 1,
      name: 'm',
      tables: [
        ...stored,
        {
          name: 'made',
          role: 'fact',
          source: { steps: list as never },
          columns: [{ name: 'c', type: 'integer' }],
        },
      ],
    },
    [{ do: 'rename', of: { table: 'loan', column }, to }],
  ).tables.at(-1)!;

test('the steps name the column by its new name as far as it goes', () => {
  const made = rename(
    [
      { from: 'loan' },
      { filter: 'c > 1 -- c' },
      { off: { sort: ['c'] } },
      { derive: { name: 'd', formula: 'loan.c + 1' } },
      { pick: ['c', { column: 'c', as: 'e' }, 'd'] },
      { sort: ['c'] },
    ],
    'c',
    'copies lent',
  );
  expect(made.source).toEqual({
    steps: [
      { from: 'loan' },
      { filter: '"copies lent" > 1 -- c' },
      { off: { sort: ['copies lent'] } },
      { derive: { name: 'd', formula: 'loan."copies lent" + 1' } },
      { pick: [{ column: 'copies lent', as: 'c' }, { column: 'copies lent', as: 'e' }, 'd'] },
      { sort: ['c'] },
    ],
  });
  expect(made.columns).toEqual([{ name: 'c', type: 'integer' }]);
});

test('a column that comes out under the new name is still what the table declares', () => {
  expect(rename([{ from: 'loan' }, { sort: ['c'] }], 'c', 'copies').columns).toEqual([
    { name: 'c', type: 'integer', sourceName: 'copies' },
  ]);
});

test.each<[Step, RegExp]>([
  [{ derive: { name: 'copies', formula: 'a + 1' } }, /step 2 of made: there is a column "copies" already/],
  [
    { union: ['archive'] },
    /step 2 of made: union matches columns by name, and another .* also has a column c/,
  ],
  [{ join: { table: 'archive', kind: 'left', on: [['a', 'a']] } }, /join adds all columns of archive/],
  [{ filter: 1, of: 'c' }, /step 2 of made: it names c, and is not complete/],
])('where a step would not mean the same, the new name is refused: %j', (bad, message) => {
  expect(() => rename([{ from: 'loan' }, bad], 'c', 'copies')).toThrow(message);
});
