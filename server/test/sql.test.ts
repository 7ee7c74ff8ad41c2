import { columnOfValues, tableOf } from '@crease/core/columns';
import { FUNCTIONS } from '@crease/core/formula';
import { readModel } from '@crease/core/model';
import type { Query } from '@crease/core/model';
import { answerQuery, ModelData } from '@crease/core/query';
import { compileQuery, postgresql, printedSql } from '@crease/core/sql';
import { INTEGER, TEXT } from '@crease/core/values';
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
          columns: ['no', 'manager'].map((name) => ({ name, type: 'integer' })).concat([{ name: 'name', type: 'text' }]),
        },
        { name: 'shift', role: 'fact', columns: [{ name: 'staff_no', type: 'integer' }] },
      ],
      relationships: [{ name: 'shift_staff', from: { table: 'shift', columns: ['staff_no'] }, to: { table: 'staff', columns: ['no'] } }],
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
  test.each(FUNCTIONS.map((f) => [f.name, f.example.formula, f.example.gives] as const))('%s: %s', (_name, formula, gives) => {
    const data = dataOf(`only(case when one.n = 1 then ${formula} end) from one`);
    const query: Query = { measures: ['M'] };
    expect(answerInSqlite(data, query).rows).toEqual([[gives]]);
    expect(answerQuery(data, query).rows).toEqual([[gives]]);
    const compiled = compileQuery({ model: data.model, checker: data.checker, today: data.today }, query, postgresql);
    expect(printedSql(compiled, postgresql)).toMatch(/from "one" b/);
  });
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
  const compiled = compileQuery({ model: data.model, checker: data.checker, today: data.today }, { measures: ['M'] }, postgresql);
  expect(compiled.rows.sql).not.toContain('drop');
  expect(compiled.rows.parameters).toEqual([{ value: "x'; drop table one; --", type: TEXT }]);
  // In the printed form values stand in comments, each on a line of its own.
  expect(printedSql(compiled, postgresql).split('\n')[0]).toBe("-- $1 text: x'; drop table one; --");
  expect(answerInSqlite(data, { measures: ['M'] }).rows).toEqual([[0]]);
});
