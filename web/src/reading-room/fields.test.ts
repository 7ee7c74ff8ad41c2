import type { Model, Query } from '@crease/core/model';
import { fieldsOf, foundFields, isAsked, withField } from './fields.ts';

const column = (name: string, more = {}) => ({ name, type: 'text', ...more });
const model: Model = {
  crease: 1,
  name: 'm',
  tables: [
    {
      name: 'branch',
      role: 'dimension',
      title: 'Branches',
      columns: [column('town', { title: 'Town', description: 'Where it stands.' }), column('opened')],
    },
  ],
  hierarchies: [
    { name: 'Places', table: 'branch', title: 'By place', levels: [{ name: 'Land', column: 'opened' }] },
  ],
  measures: [
    { name: 'loans', title: 'Loans', formula: '', folder: 'Lending' },
    { name: 'fines', formula: '' },
  ],
};
const fields = fieldsOf(model);
const named = (title: string) => fields.find((f) => f.title === title)!;

test('fields are listed by their titles: measures by folder, levels by hierarchy, columns by table', () => {
  expect(fields.map(({ group, title, description }) => [group, title, description])).toEqual([
    ['Lending', 'Loans', undefined],
    ['Measures', 'fines', undefined],
    ['Branches: By place', 'Land', undefined],
    ['Branches', 'Town', 'Where it stands.'],
    ['Branches', 'opened', undefined],
  ]);
});

test('a search looks into titles, descriptions and groups', () => {
  const titles = (search: string) => foundFields(fields, search).map((f) => f.title);
  expect(titles('  STANDS ')).toEqual(['Town']);
  expect(titles('lending')).toEqual(['Loans']);
  expect(titles('')).toHaveLength(5);
  expect(titles('nothing')).toEqual([]);
});

test('a press adds a field to the question, the next takes it out wherever it stands', () => {
  const empty: Query = { measures: [] };
  const both = withField(withField(empty, named('Loans')), named('Land'));
  expect(both).toEqual({ measures: ['loans'], by: [{ hierarchy: 'branch.Places', level: 'Land' }] });
  expect(fields.filter((f) => isAsked(both, f)).map((f) => f.title)).toEqual(['Loans', 'Land']);
  const across: Query = { measures: ['loans'], across: ['branch.town'], sort: [{ of: 'branch.town' }] };
  expect(withField(across, named('Town'))).toEqual({
    measures: ['loans'],
    by: undefined,
    across: [],
    sort: [],
  });
  for (const field of fields)
    expect(isAsked(withField(withField(both, field), field), field)).toBe(isAsked(both, field));
});
