import { columnOfValues, tableOf } from '../columns/index.ts';
import type { TableData } from '../columns/index.ts';
import type { Model } from '../model/index.ts';
import { INTEGER, TEXT } from '../values/index.ts';
import { answerQuery, DataError, ModelData, usualQuestions } from './index.ts';

const integers = (name: string, values: number[]) => columnOfValues(name, INTEGER, values);
const texts = (name: string, values: string[]) => columnOfValues(name, TEXT, values);
const stored: Record<string, TableData> = {
  loan: tableOf('loan', [
    integers('branch', [1, 1, 2]),
    integers('card', [7, 8, 9]),
    integers('copies', [1, 2, 3]),
  ]),
  visit: tableOf('visit', [integers('branch', [1])]),
  branch: tableOf('branch', [
    integers('id', [1, 2, 3]),
    texts('name', ['N', 'S', 'W']),
    texts('town', ['A', 'A', 'B']),
  ]),
  card: tableOf('card', [integers('id', [7, 8, 9])]),
};
const columns = (...names: string[]) =>
  names.map((name) => ({ name, type: name === 'name' || name === 'town' ? 'text' : 'integer' }));
const model = {
  crease: 1,
  name: 'm',
  tables: [
    { name: 'loan', role: 'fact', columns: columns('branch', 'card', 'copies') },
    { name: 'visit', role: 'fact', columns: columns('branch') },
    { name: 'claim', role: 'fact', columns: columns('branch') },
    {
      name: 'branch',
      role: 'dimension',
      key: ['id'],
      columns: columns('id', 'name', 'town').map((c) => ({
        ...c,
        use: c.name === 'id' ? 'key' : 'attribute',
      })),
    },
    { name: 'card', role: 'dimension', key: ['id'], columns: columns('id') },
    { name: 'staff', role: 'dimension', key: ['id'], columns: columns('id') },
  ],
  relationships: [
    { name: 'lb', from: { table: 'loan', columns: ['branch'] }, to: { table: 'branch', columns: ['id'] } },
    { name: 'lc', from: { table: 'loan', columns: ['card'] }, to: { table: 'card', columns: ['id'] } },
    { name: 'ls', from: { table: 'loan', columns: ['card'] }, to: { table: 'staff', columns: ['id'] } },
    { name: 'vb', from: { table: 'visit', columns: ['branch'] }, to: { table: 'branch', columns: ['id'] } },
  ],
  measures: [
    { name: 'Loans', formula: 'count(loan)' },
    { name: 'Copies', formula: 'sum(loan.copies)' },
    { name: 'Inner', formula: 'max(loan.copies)', hidden: true },
    { name: 'Broken', formula: 'sum(loan.' },
    { name: 'Visits', formula: 'count(visit)' },
    { name: 'Claims', formula: 'count(claim)' },
    { name: 'Share', formula: '"Loans" / "Visits"' },
  ],
} as unknown as Model;
const data = () =>
  new ModelData(
    model,
    (name) => {
      const found = stored[name.toLowerCase()];
      if (!found) throw new DataError(`${name} is not loaded`, { code: 'not-loaded' });
      return found;
    },
    0,
  );

test('each visible measure and each relationship of a large fact is used, by the attribute of fewest values', () => {
  const questions = usualQuestions(data(), 2);
  expect(questions).toEqual([
    { by: ['branch.town'], measures: ['Loans'] },
    { by: ['card.id'], measures: ['Loans'] },
    { by: ['branch.town'], measures: ['Copies'] },
    { by: ['branch.town'], measures: ['Share'] },
  ]);
  for (const question of questions) expect(answerQuery(data(), question).rows.length).toBeGreaterThan(0);
});

test('facts take turns; what is not loaded is left out; without large facts nothing is asked', () => {
  expect(
    usualQuestions(data(), 1)
      .slice(0, 3)
      .map(({ measures }) => measures[0]),
  ).toEqual(['Loans', 'Visits', 'Loans']);
  expect(usualQuestions(data(), 4)).toEqual([]);
});
