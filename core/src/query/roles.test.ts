import { columnOfValues, tableOf } from '../columns/index.ts';
import { applyEdit } from '../edit/index.ts';
import { withRoles } from '../formula/index.ts';
import type { Model, Query } from '../model/index.ts';
import { readModel } from '../model/index.ts';
import { compileQuery, sqlite } from '../sql/index.ts';
import type { Value } from '../values/index.ts';
import { DATE, parseType, textReader } from '../values/index.ts';
import { answerQuery, ModelData } from './index.ts';

// Loans are lent at a branch and returned at another, on a day and on a later one; holds are filled on days,
// too.

const day = (text: string) => textReader(DATE)(text) as number;
const table = (
  name: string,
  role: string,
  key: string[],
  columns: Record<string, string>,
  more: object = {},
) => ({
  name,
  role,
  key,
  columns: Object.entries(columns).map(([column, type]) => ({ name: column, type })),
  ...more,
});
const to = (name: string, from: [string, string], target: [string, string], more: object = {}) => ({
  name,
  from: { table: from[0], columns: [from[1]] },
  to: { table: target[0], columns: [target[1]] },
  ...more,
});
const model: Model = readModel(
  JSON.stringify({
    crease: 1,
    name: 'returns',
    asOf: '2026-03-10',
    tables: [
      table('loan', 'fact', ['id'], {
        id: 'integer',
        lent_at: 'integer',
        back_at: 'integer',
        lent: 'date',
        back: 'date',
      }),
      table('hold', 'fact', ['id'], { id: 'integer', filled: 'date' }),
      table('branch', 'dimension', ['id'], { id: 'integer', name: 'text', district: 'integer' }),
      table('district', 'dimension', ['id'], { id: 'integer', region: 'text' }),
      table('calendar', 'dimension', ['day'], { day: 'date', month: 'text' }),
    ],
    relationships: [
      to('lent_branch', ['loan', 'lent_at'], ['branch', 'id']),
      to('back_branch', ['loan', 'back_at'], ['branch', 'id'], { default: false, role: 'Return desk' }),
      to('lent_on', ['loan', 'lent'], ['calendar', 'day']),
      to('back_on', ['loan', 'back'], ['calendar', 'day'], { default: false, role: 'Done on' }),
      to('filled_on', ['hold', 'filled'], ['calendar', 'day'], { role: 'Done on' }),
      to('branch_district', ['branch', 'district'], ['district', 'id']),
    ],
    hierarchies: [
      {
        name: 'Places',
        table: 'branch',
        levels: [
          { name: 'Region', column: 'district.region' },
          { name: 'Branch', column: 'name' },
        ],
      },
    ],
    calendars: [{ table: 'calendar', day: 'day' }],
    measures: [
      { name: 'Loans', formula: 'count(loan)' },
      { name: 'Filled', formula: 'count(hold)' },
      { name: 'Elsewhere', formula: '"Loans" ignoring branch' },
      { name: 'Loans to date', formula: '"Loans" over (month to date)' },
    ],
  }),
);
const rows: Record<string, Record<string, Value[]>> = {
  loan: {
    id: [1, 2, 3, 4],
    lent_at: [1, 1, 2, 2],
    back_at: [1, 2, 1, null],
    lent: ['2026-01-05', '2026-01-20', '2026-02-03', '2026-02-04'].map(day),
    back: [...['2026-02-01', '2026-02-10', '2026-03-09'].map(day), null],
  },
  hold: { id: [1, 2], filled: ['2026-02-02', '2026-03-01'].map(day) },
  branch: { id: [1, 2], name: ['Ash', 'Elm'], district: [1, 2] },
  district: { id: [1, 2], region: ['North', 'South'] },
  calendar: {
    day: Array.from({ length: 90 }, (_, i) => day('2026-01-01') + i),
    month: Array.from({ length: 90 }, (_, i) => (i < 31 ? '2026-01' : i < 59 ? '2026-02' : '2026-03')),
  },
};
const dataOf = (of: Model): ModelData =>
  new ModelData(
    of,
    (name) =>
      tableOf(
        name,
        of.tables
          .find((t) => t.name === name)!
          .columns.map((c, i) => columnOfValues(c.name, parseType(c.type)!, Object.values(rows[name]!)[i]!)),
      ),
    day('2026-03-10'),
  );
const data = dataOf(model);
const ask = (query: Query) => answerQuery(data, query);

test('a question asks by a dimension and by its roles at once', () => {
  expect(ask({ by: ['calendar.month', 'Done on.month'], measures: ['Loans'] }).rows).toEqual([
    ['2026-01', '2026-02', 2],
    ['2026-02', '2026-03', 1],
    ['2026-02', null, 1],
  ]);
  expect(ask({ by: ['branch.name', 'Return desk.name'], measures: ['Loans'] }).rows).toEqual([
    ['Ash', 'Ash', 1],
    ['Ash', 'Elm', 1],
    ['Elm', 'Ash', 1],
    ['Elm', null, 1],
  ]);
});

test('relationships of several facts play one role: both are asked by it', () => {
  const answer = ask({ by: ['Done on.month'], measures: ['Loans', 'Filled'], totals: true });
  expect(answer.rows).toEqual([
    ['2026-02', 2, 1],
    ['2026-03', 1, 1],
    [null, 1, 0],
  ]);
  expect(answer.totals).toEqual([4, 2]);
});

test('what a dimension looks up, and its hierarchies, are there for the role too', () => {
  expect(ask({ by: ['Return desk district.region'], measures: ['Loans'] }).rows).toEqual([
    ['North', 2],
    ['South', 1],
    [null, 1],
  ]);
  const byLevel = ask({ by: [{ hierarchy: 'Return desk.Places', level: 'Region' }], measures: ['Loans'] });
  expect(byLevel.rows).toEqual(ask({ by: ['Return desk district.region'], measures: ['Loans'] }).rows);
});

test('filters name roles: members, conditions in formulas, periods', () => {
  expect(ask({ measures: ['Loans'], filters: [{ column: 'Return desk.name', in: ['Ash'] }] }).rows).toEqual([
    [2],
  ]);
  expect(ask({ measures: ['Loans'], filters: [{ where: '"Return desk".id <> branch.id' }] }).rows).toEqual([
    [2],
  ]);
  expect(
    ask({ measures: ['Loans'], filters: [{ period: 'previous month', calendar: 'Done on' }] }).rows,
  ).toEqual([[2]]);
  expect(ask({ measures: ['Loans'], filters: [{ period: 'previous month' }] }).rows).toEqual([[2]]);
  expect(
    ask({ measures: ['Loans'], filters: [{ period: 'whole month', calendar: 'done on' }] }).rows,
  ).toEqual([[1]]);
});

test('a condition by a role stays where the dimension is ignored, and periods count in the calendar itself', () => {
  const by = ['Return desk.name'];
  expect(
    ask({ by, measures: ['Elsewhere'], filters: [{ column: 'branch.name', in: ['Ash'] }] }).rows,
  ).toEqual([
    ['Ash', 2],
    ['Elm', 1],
  ]);
  expect(
    ask({
      by: ['Done on.month'],
      measures: ['Loans to date'],
      filters: [{ column: 'calendar.month', in: ['2026-02'] }],
    }).rows,
  ).toEqual([
    ['2026-03', 1],
    [null, 1],
  ]);
});

test('a role reaches only what has it, and its relationship names the way', () => {
  expect(ask({ by: ['Return desk.name'], measures: ['Loans', 'Filled'] }).unreached).toEqual([
    ['Filled', 'Return desk.name'],
  ]);
  const { model: roled } = withRoles(model);
  expect(roled.relationships!.slice(6).map((r) => r.name)).toEqual([
    'back_branch as Return desk',
    'branch_district from Return desk',
    'back_on as Done on',
    'filled_on as Done on',
  ]);
});

test('a role whose name is taken, or that several dimensions play, is called after its dimension, too', () => {
  const named = (roles: Record<string, string>) =>
    withRoles({
      ...model,
      relationships: model.relationships!.map((r) => ({ ...r, role: roles[r.name] })),
    }).roles.map((r) => r.name);
  expect(named({ back_branch: 'branch' })).toEqual(['branch branch', 'branch district']);
  expect(named({ back_branch: 'Loans' })).toEqual(['Loans branch', 'Loans district']);
  expect(named({ back_branch: 'Second', back_on: 'Second' })).toEqual([
    'Second branch',
    'Second district',
    'Second calendar',
  ]);
  expect(named({})).toEqual([]);
});

test('SQL joins the dimension once for each role', () => {
  const { rows: compiled } = compileQuery(
    { model, checker: data.checker, today: data.today },
    { by: ['branch.name', 'Return desk.name'], measures: ['Loans'] },
    sqlite,
  );
  const joins = [...compiled.sql.matchAll(/left join "branch" (\w+) on b\."(\w+)"/g)].map((m) => m[2]);
  expect([...new Set(joins)].sort()).toEqual(['back_at', 'lent_at']);
  expect(compiled.sql).not.toMatch(/(from|join) "Return desk"/);
  expect([...compiled.tables].sort()).toEqual(['branch', 'loan']);
});

test('trials follow the new name of a role, of its dimension, and of a column', () => {
  const asked: Query = {
    by: [
      'Done on.month',
      'Return desk district.region',
      { hierarchy: 'Return desk.Places', level: 'Region' },
    ],
    measures: ['Loans'],
    filters: [
      { where: '"Return desk district".region = \'North\'' },
      { period: 'whole month', calendar: 'Done on' },
    ],
  };
  const known = applyEdit(model, [{ do: 'put-known-answer', value: { name: 'K', query: asked, rows: [] } }]);
  const queryAfter = (...edit: Parameters<typeof applyEdit>[1]) =>
    applyEdit(known, edit).knownAnswers![0]!.query!;
  expect(
    queryAfter({ do: 'set-relationship', name: 'back_branch', change: { role: 'Back at' } }),
  ).toMatchObject({
    by: ['Done on.month', 'Back at district.region', { hierarchy: 'Back at.Places', level: 'Region' }],
    filters: [{ where: '"Back at district".region = \'North\'' }, { calendar: 'Done on' }],
  });
  // Another relationship still plays it.
  expect(queryAfter({ do: 'set-relationship', name: 'back_on', change: { role: 'Back on' } }).by![0]).toBe(
    'Done on.month',
  );
  expect(queryAfter({ do: 'rename', of: { table: 'district' }, to: 'area' })).toMatchObject({
    by: ['Done on.month', 'Return desk area.region', { hierarchy: 'Return desk.Places' }],
    filters: [{ where: '"Return desk area".region = \'North\'' }, {}],
  });
  expect(queryAfter({ do: 'rename', of: { table: 'district', column: 'region' }, to: 'zone' })).toMatchObject(
    {
      by: ['Done on.month', 'Return desk district.zone', {}],
      filters: [{ where: '"Return desk district".zone = \'North\'' }, {}],
    },
  );
  expect(queryAfter({ do: 'rename', of: { table: 'calendar', column: 'month' }, to: 'period' }).by![0]).toBe(
    'Done on.period',
  );
});
