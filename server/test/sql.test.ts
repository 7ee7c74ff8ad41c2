import { columnOfValues, tableOf } from '@crease/core/columns';
import { FUNCTIONS } from '@crease/core/formula';
import { readModel } from '@crease/core/model';
import type { Query } from '@crease/core/model';
import { answerQuery, ModelData } from '@crease/core/query';
import { compileQuery, postgresql, printedSql } from '@crease/core/sql';
import type { DataType, Value } from '@crease/core/values';
import { decimal, formatType, INTEGER, TEXT } from '@crease/core/values';
import { answerInSqlite } from '../src/sql.ts';

const dataOf = (formula: string): ModelData => {
  const model = readModel(
    JSON.stringify({
      crease: 1,
      name: 'm',
      asOf: '2026-01-01',
      tables: [
        { name: 'one', role: 'fact', columns: [{ name: 'n', type: 'integer' }] },
        {
          name: 'staff',
          role: 'dimension',
          key: ['no'],
          columns: ['no', 'manager']
            .map((name) => ({ name, type: 'integer' }))
            .concat([{ name: 'name', type: 'text' }]),
        },
        { name: 'shift', role: 'fact', columns: [{ name: 'staff_no', type: 'integer' }] },
      ],
      relationships: [
        {
          name: 'shift_staff',
          from: { table: 'shift', columns: ['staff_no'] },
          to: { table: 'staff', columns: ['no'] },
        },
      ],
      hierarchies: [{ name: 'Line', table: 'staff', key: 'no', parent: 'manager', label: 'name' }],
      measures: [{ name: 'M', formula }],
    }),
  );
  const rows = {
    one: [columnOfValues('n', INTEGER, [1])],
    staff: [
      columnOfValues('no', INTEGER, [1, 2, 3, 4, 5, 6]),
      columnOfValues('manager', INTEGER, [null, 1, 2, 99, 6, 5]),
      columnOfValues('name', TEXT, ['Ada', 'Bo', 'Cy', 'Di', 'Ed', 'Flo']),
    ],
    shift: [columnOfValues('staff_no', INTEGER, [1, 2, 3, 3, 4, 5, 6, null, 77])],
  };
  return new ModelData(model, (name) => tableOf(name, rows[name as keyof typeof rows]), 20_454);
};

describe('every function has its SQL', () => {
  test.each(FUNCTIONS.map((f) => [f.name, f.example.formula, f.example.gives] as const))(
    '%s: %s',
    (_name, formula, gives) => {
      const data = dataOf(`only(case when one.n = 1 then ${formula} end) from one`);
      const query: Query = { measures: ['M'] };
      expect(answerInSqlite(data, query).rows).toEqual([[gives]]);
      expect(answerQuery(data, query).rows).toEqual([[gives]]);
      const compiled = compileQuery(
        { model: data.model, checker: data.checker, today: data.today },
        query,
        postgresql,
      );
      expect(printedSql(compiled, postgresql)).toMatch(/from "one" b/);
    },
  );
});

test.each([1, 2, 3])(
  'members of a parent-child hierarchy at depth %i: a higher one, an unknown parent and a loop stand for themselves',
  (depth) => {
    const data = dataOf('count(shift)');
    const query: Query = { by: [{ hierarchy: 'staff.Line', depth }], measures: ['M'], totals: true };
    expect(answerInSqlite(data, query)).toEqual(answerQuery(data, query));
  },
);

test('a value is a parameter, a name is quoted, whatever they hold', () => {
  const data = dataOf(`count(staff) filter (where staff.name = 'x''; drop table one; --')`);
  const compiled = compileQuery(
    { model: data.model, checker: data.checker, today: data.today },
    { measures: ['M'] },
    postgresql,
  );
  expect(compiled.rows.sql).not.toContain('drop');
  expect(compiled.rows.parameters).toEqual([{ value: "x'; drop table one; --", type: TEXT }]);
  // In the printed form values stand in comments, each on a line of its own.
  expect(printedSql(compiled, postgresql).split('\n')[0]).toBe("-- $1 text: x'; drop table one; --");
  expect(answerInSqlite(data, { measures: ['M'] }).rows).toEqual([[0]]);
});

describe('numbers stay exact, or are refused', () => {
  const wide = (values: Value[], type: DataType, formula: string): ModelData => {
    const model = readModel(
      JSON.stringify({
        crease: 1,
        name: 'm',
        tables: [{ name: 't', role: 'fact', columns: [{ name: 'x', type: formatType(type) }] }],
        measures: [{ name: 'M', formula }],
      }),
    );
    return new ModelData(model, (name) => tableOf(name, [columnOfValues('x', type, values)]), 20_454);
  };
  const query: Query = { measures: ['M'] };

  test.each<[string, Value[], DataType, string]>([
    [
      'decimals of many digits',
      [123_456_789_012_345_678n, 1, null, -9_007_199_254_740_993n],
      decimal(20, 2),
      'sum(t.x)',
    ],
    ['the largest of them', [123_456_789_012_345_678n, 123_456_789_012_345_679n], decimal(20, 2), 'max(t.x)'],
    ['integers of 64 bits', [9_007_199_254_740_993n, 4], INTEGER, 'sum(t.x)'],
    ['decimals without a fraction', [99_999_999_999_999_999n, 1], decimal(18, 0), 'sum(t.x)'],
    ['cents that no double holds', [10, 20, 5, 115], decimal(9, 2), 'sum(t.x * 3) / 1'],
  ])('%s', (_name, values, type, formula) => {
    const data = wide(values, type, formula);
    const answer = answerQuery(data, query).rows;
    expect(answer[0]![0]).not.toBeNull();
    expect(answerInSqlite(data, query).rows).toEqual(answer);
  });

  test.each<[string, Value[], DataType, string]>([
    ['a sum', [9_000_000_000_000_000_000n, 9_000_000_000_000_000_000n], INTEGER, 'sum(t.x)'],
    ['a product', [9_000_000_000_000_000_000n], INTEGER, 'sum(t.x * 5)'],
    ['a value', [10n ** 30n], decimal(38, 2), 'max(t.x)'],
  ])('%s beyond 64 bits is one clear message, where columns count on', (_name, values, type, formula) => {
    const data = wide(values, type, formula);
    expect(() => answerInSqlite(data, query)).toThrow(/64 bits/);
    expect(answerQuery(data, query).rows[0]![0]).toMatch(/^\d{19,}/);
  });
});

test.each<[string, Query]>([
  ['a measure', { measures: ['N'] }],
  ['a column', { by: ['staff.nme'], measures: ['M'] }],
  ['a sort', { measures: ['M'], sort: [{ of: 'x' }] }],
  ['a condition', { measures: ['M'], filters: [{ where: 'staff.nme = 1' }] }],
  ['a member', { measures: ['M'], filters: [{ column: 'staff.no', in: ['Bo'] }] }],
  ['a period', { measures: ['M'], filters: [{ period: 'whole fortnight' }] }],
  ['a calendar', { measures: ['M'], filters: [{ period: 'whole month' }] }],
  ['a hierarchy', { by: [{ hierarchy: 'staff.Lines', depth: 1 }], measures: ['M'] }],
])('%s that is not there is refused by both engines in the same words', (_name, query) => {
  const data = dataOf('count(shift)');
  const said = (ask: () => unknown): string => {
    try {
      return `answered ${JSON.stringify(ask())}`;
    } catch (error) {
      return (error as Error).message;
    }
  };
  const columns = said(() => answerQuery(data, query));
  expect(columns).not.toMatch(/^answered/);
  expect(said(() => answerInSqlite(data, query))).toBe(columns);
});

test.each([1, 2, 3])(
  'own rows of members that have others below are not listed at depth %i where they are hidden; totals count them',
  (depth) => {
    const shown = dataOf('count(shift)');
    const hidden = new ModelData(
      { ...shown.model, hierarchies: [{ ...shown.model.hierarchies![0]!, ownRows: 'hidden' }] },
      (name) => shown.table(name),
      shown.today,
    );
    const query: Query = { by: [{ hierarchy: 'staff.Line', depth }], measures: ['M'], totals: true };
    const answer = answerQuery(hidden, query);
    expect(answerInSqlite(hidden, query)).toEqual(answer);
    // Ada has Bo below her, Bo has Cy.
    const gone = depth === 1 ? [] : depth === 2 ? ['Ada'] : ['Ada', 'Bo'];
    expect(answer.rows).toEqual(
      answerQuery(shown, query).rows.filter(([member]) => !gone.includes(member as string)),
    );
    expect(answer.totals).toEqual([9]);
  },
);

test('members of a level that two columns tell apart are the same on both evaluators, in the order of those columns', () => {
  const model = readModel(
    JSON.stringify({
      crease: 1,
      name: 'm',
      tables: [
        { name: 'visit', role: 'fact', columns: [{ name: 'branch', type: 'integer' }] },
        {
          name: 'branch',
          role: 'dimension',
          key: ['no'],
          columns: [
            { name: 'no', type: 'integer' },
            { name: 'town', type: 'text' },
            { name: 'district', type: 'integer' },
          ],
        },
        {
          name: 'district',
          role: 'dimension',
          key: ['id'],
          columns: [
            { name: 'id', type: 'integer' },
            { name: 'name', type: 'text' },
          ],
        },
      ],
      relationships: [
        {
          name: 'visit_branch',
          from: { table: 'visit', columns: ['branch'] },
          to: { table: 'branch', columns: ['no'] },
        },
        {
          name: 'branch_district',
          from: { table: 'branch', columns: ['district'] },
          to: { table: 'district', columns: ['id'] },
        },
      ],
      hierarchies: [
        {
          name: 'Place',
          table: 'branch',
          levels: [
            { name: 'District', column: 'district.name', key: 'district.id' },
            { name: 'Town', column: 'town', key: ['district.name', 'town'] },
          ],
        },
      ],
      measures: [{ name: 'Visits', formula: 'count(visit)' }],
    }),
  );
  const rows: Record<string, ReturnType<typeof columnOfValues>[]> = {
    visit: [columnOfValues('branch', INTEGER, [1, 1, 2, 3, 4, 5, 99, null])],
    branch: [
      columnOfValues('no', INTEGER, [1, 2, 3, 4, 5]),
      columnOfValues('town', TEXT, ['Elm', 'Elm', 'Ash', 'Elm', null]),
      columnOfValues('district', INTEGER, [2, 1, 1, 2, 1]),
    ],
    district: [columnOfValues('id', INTEGER, [1, 2]), columnOfValues('name', TEXT, ['North', 'South'])],
  };
  const data = new ModelData(model, (name) => tableOf(name, rows[name]!), 0);
  const query: Query = { by: [{ hierarchy: 'branch.Place', level: 'Town' }], measures: ['Visits'] };
  const answer = answerQuery(data, query);
  // Two towns Elm: that of North first. The visits of a branch without a town, or of no branch, are in none.
  expect(answer.rows).toEqual([
    ['Ash', 1],
    ['Elm', 1],
    ['Elm', 3],
    [null, 3],
  ]);
  expect(answerInSqlite(data, query)).toEqual(answer);
});

test('members of a level come in the order of the column that the level names', () => {
  const model = readModel(
    JSON.stringify({
      crease: 1,
      name: 'm',
      tables: [
        {
          name: 'visit',
          role: 'fact',
          columns: [
            { name: 'month', type: 'text' },
            { name: 'no', type: 'integer' },
            { name: 'year', type: 'integer' },
          ],
        },
      ],
      hierarchies: [
        {
          name: 'Months',
          table: 'visit',
          levels: [
            { name: 'Month', column: 'month', orderBy: 'no' },
            { name: 'Month of year', column: 'month', key: ['year', 'no'], orderBy: 'no' },
          ],
        },
      ],
      measures: [{ name: 'Visits', formula: 'count(visit)' }],
    }),
  );
  const rows = [
    columnOfValues('month', TEXT, ['March', 'January', 'February', 'January', 'Unknown', null]),
    columnOfValues('no', INTEGER, [3, 1, 2, 1, null, null]),
    columnOfValues('year', INTEGER, [2025, 2026, 2025, 2025, 2025, null]),
  ];
  const data = new ModelData(model, (name) => tableOf(name, rows), 0);
  const months = (level: string, order?: 'descending') => {
    const by = { hierarchy: 'visit.Months', level };
    const query: Query = { by: [by], measures: ['Visits'], ...(order ? { sort: [{ of: by, order }] } : {}) };
    const answer = answerQuery(data, query);
    expect(answerInSqlite(data, query)).toEqual(answer);
    return answer.rows.map(([month]) => month);
  };
  expect(months('Month')).toEqual(['January', 'February', 'March', 'Unknown', null]);
  expect(months('Month', 'descending')).toEqual(['March', 'February', 'January', 'Unknown', null]);
  expect(months('Month of year')).toEqual(['January', 'January', 'February', 'March', null]);
});

test('a condition on measures and a top beside hidden own rows of a tree are answered as on columns', () => {
  const plain = dataOf('count(shift)');
  const model = {
    ...plain.model,
    hierarchies: plain.model.hierarchies!.map((h) => ({ ...h, ownRows: 'hidden' as const })),
  };
  const data = new ModelData(model, (name) => plain.table(name), 20_454);
  const by = [{ hierarchy: 'staff.Line', depth: 2 }];
  const filters: Query['filters'][] = [
    undefined,
    [{ having: '"M" >= 1' }],
    [{ top: 2, of: 'M' }],
    [{ having: '"M" >= 1' }, { top: 1, of: 'M', order: 'ascending' }],
  ];
  for (const one of filters) {
    const query: Query = { by, measures: ['M'], ...(one ? { filters: one } : {}) };
    const { rows } = answerQuery(data, query);
    expect(rows.length).toBeGreaterThan(0);
    expect(answerInSqlite(data, query).rows).toEqual(rows);
  }
});
