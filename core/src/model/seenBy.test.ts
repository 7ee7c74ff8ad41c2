import { seenBy } from './seenBy.ts';
import type { Model, Perspective } from './schema.ts';

const column = (name: string, more = {}) => ({ name, type: 'text', ...more });
const model: Model = {
  crease: 1,
  name: 'm',
  tables: [
    {
      name: 'loan',
      role: 'fact',
      columns: [column('branch'), column('fine'), column('raw', { hidden: true })],
    },
    { name: 'branch', role: 'dimension', title: 'Branches', columns: [column('branch'), column('town')] },
    { name: 'staff', role: 'dimension', columns: [column('id')] },
  ],
  relationships: [
    {
      name: 'loan_branch',
      from: { table: 'loan', columns: ['branch'] },
      to: { table: 'branch', columns: ['branch'] },
    },
    {
      name: 'loan_staff',
      from: { table: 'loan', columns: ['raw'] },
      to: { table: 'staff', columns: ['id'] },
    },
  ],
  hierarchies: [
    { name: 'Geography', table: 'branch', levels: [] },
    { name: 'Report', table: 'staff', parent: 'id' },
  ],
  measures: [
    { name: 'Loans', formula: 'count(loan)' },
    { name: 'Fines', formula: 'sum(loan.fine)' },
    { name: 'Secret', formula: '1', hidden: true },
  ],
  trials: [
    { name: 'By town', query: { measures: ['Loans'] } },
    { name: 'Other', query: { measures: ['Fines'] } },
  ],
};
const managers: Perspective = {
  name: 'Managers',
  tables: [{ table: 'branch', title: 'Houses' }],
  columns: ['loan.branch', { column: 'loan.fine', title: 'Fee' }, 'loan.raw'],
  hierarchies: ['branch.Geography'],
  measures: [{ measure: 'Loans', title: 'Lent' }, 'Secret'],
  trials: ['By town'],
};

test('an audience sees what is shown, under its own titles', () => {
  const seen = seenBy(model, managers);
  expect(seen.tables.map((t) => [t.name, t.title, t.columns.map((c) => [c.name, c.title])])).toEqual([
    ['loan', undefined, [['branch', undefined], ['fine', 'Fee']]],
    ['branch', 'Houses', [['branch', undefined], ['town', undefined]]],
  ]); // oxfmt-ignore
  expect(seen.relationships?.map((r) => r.name)).toEqual(['loan_branch']);
  expect(seen.hierarchies?.map((h) => h.name)).toEqual(['Geography']);
  expect(seen.measures?.map((m) => [m.name, m.title])).toEqual([['Loans', 'Lent']]);
  expect(seen.trials?.map((t) => t.name)).toEqual(['By town']);
  expect(seen).not.toHaveProperty('calendars');
});

test('the model itself stays as it is, and an empty perspective sees nothing of it', () => {
  const before = JSON.stringify(model);
  expect(seenBy(model, { name: 'None', tables: [] })).toMatchObject({
    tables: [],
    measures: [],
    relationships: [],
  });
  expect(JSON.stringify(model)).toBe(before);
});
