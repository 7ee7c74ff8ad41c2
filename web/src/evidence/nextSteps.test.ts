import type { Model, Table } from '@crease/core/model';
import { nextSteps } from './nextSteps.ts';

const text = (name: string) => ({ name, type: 'text' });
const table = (name: string, role: Table['role'], more: Partial<Table> = {}): Table => ({
  name,
  role,
  columns: [text('code'), text('name'), text('town')],
  ...more,
});
const loan = table('loan', 'fact', { columns: [{ name: 'id', type: 'integer' }, text('branch')] });
const branch = table('branch', 'dimension');
const model = (more: Partial<Model> = {}): Model => ({
  crease: 1,
  name: 'm',
  tables: [loan, branch],
  ...more,
});
const says = (stage: string, of: Model, stored: string[] = []) =>
  nextSteps(stage, of, stored).map((s) => s.says);
const related = [
  {
    name: 'loan_branch',
    from: { table: 'loan', columns: ['branch'] },
    to: { table: 'branch', columns: ['code'] },
  },
];

test('tables without rows are to be imported, tables without relationships to be drafted', () => {
  const file = { source: { file: 'loan.csv' } };
  const of = model({ tables: [{ ...loan, ...file }, branch] });
  expect(says('intake', of)).toEqual(['Import the rows of loan', 'Draft a star from the tables']);
  expect(says('intake', { ...of, relationships: related }, ['LOAN'])).toEqual([]);
});

test('rows that stay in their database are not to be imported', () => {
  const source = { connection: 'warehouse', table: 'loan' };
  const of = model({ tables: [{ ...loan, source, held: false }, branch], relationships: related });
  expect(says('intake', of)).toEqual([]);
  expect(says('intake', { ...of, tables: [{ ...loan, source }, branch] })).toEqual([
    'Import the rows of loan',
  ]);
});

test('facts and dimensions need a key, staging tables do not', () => {
  const keyed = model({ tables: [{ ...loan, key: ['id'] }, branch, table('raw', 'staging')] });
  expect(nextSteps('shape', keyed, [])).toEqual([
    { says: 'Set the key of branch', select: { kind: 'table', name: 'branch' } },
  ]);
});

test('what is not related is named from both ends', () => {
  expect(says('stars', model())).toEqual(['Relate loan to a dimension', 'Relate a fact to branch']);
  expect(says('stars', model({ relationships: related }))).toEqual([]);
});

test('a dimension with several texts may have a hierarchy; one with few does not need it', () => {
  expect(says('hierarchies', model())).toEqual(['Add a hierarchy of branch']);
  expect(says('hierarchies', model({ tables: [table('x', 'dimension', { columns: [text('a')] })] }))).toEqual(
    [],
  );
  const hierarchies = [{ name: 'Place', table: 'BRANCH', levels: [{ name: 'Town', column: 'town' }] }];
  expect(says('hierarchies', model({ hierarchies }))).toEqual([]);
});

test('a fact has a measure where one counts its rows, also through another measure', () => {
  const measures = [
    { name: 'Broken', formula: 'count(' },
    { name: 'Branches', formula: 'count(branch)' },
  ];
  expect(says('measures', model({ measures }))).toEqual(['Add a measure over loan']);
  expect(
    says('measures', model({ measures: [...measures, { name: 'Loans', formula: 'count(loan)' }] })),
  ).toEqual([]);
});

test('perspectives come after measures, and trials need some', () => {
  const measures = [{ name: 'Loans', formula: 'count(loan)' }];
  expect([says('perspectives', model()).length, says('perspectives', model({ measures })).length]).toEqual([
    0, 1,
  ]);
  expect([says('trial', model()).length, says('trial', model({ measures })).length]).toEqual([1, 0]);
});

test('a stage of which nothing is known has no steps', () => expect(says('storage', model())).toEqual([]));

test('days of facts get a calendar, or are related to the one that is there', () => {
  const days = {
    ...loan,
    columns: [...loan.columns, { name: 'lent', type: 'date' }, { name: 'at', type: 'timestamp' }],
  };
  const of = model({ tables: [days, { ...branch, key: ['code'] }], relationships: related });
  expect(nextSteps('stars', of, [])).toEqual([
    { says: 'Generate a calendar for loan.lent and 1 more', to: '../intake?view=calendar&of=loan.lent' },
  ]);
  const dated = { ...of, calendars: [{ table: 'branch', day: 'code' }] };
  expect(nextSteps('stars', dated, [])).toEqual([
    { says: 'Relate loan.lent and 1 more to branch', to: '../hierarchies?view=calendars' },
  ]);
});
