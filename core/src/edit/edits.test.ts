import type { Model } from '../model/index.ts';
import type { Edit } from './index.ts';
import { familyMeasures, readModel, withFamilies, writeModel } from '../model/index.ts';
import { applyEdit, EditError, editSchema } from './index.ts';

const model: Model = {
  crease: 1,
  name: 'm',
  tables: [
    {
      name: 'loan',
      role: 'fact',
      grain: 'one loan',
      columns: [
        { name: 'id', type: 'integer' },
        { name: 'fine', type: 'decimal(9,2)' },
      ],
    },
    { name: 'branch', role: 'dimension', columns: [{ name: 'id', type: 'integer' }] },
  ],
  relationships: [
    { name: 'r', from: { table: 'loan', columns: ['id'] }, to: { table: 'branch', columns: ['id'] } },
  ],
  hierarchies: [{ name: 'H', table: 'branch', levels: [] }],
  measures: [{ name: 'Loans', formula: 'count(loan)' }],
  perspectives: [{ name: 'P', tables: [] }],
  waivers: [{ claim: 'key-unique:loan', reason: 'agreed' }],
};

const edits: [string, Edit, (after: Model) => unknown, unknown][] = [
  [
    'the model',
    [{ do: 'set-model', change: { title: 'T', asOf: '2026-01-01' } }],
    (m) => [m.title, m.asOf],
    ['T', '2026-01-01'],
  ],
  [
    'a table',
    [{ do: 'set-table', table: 'LOAN', change: { key: ['id'], role: 'bridge' } }],
    (m) => [m.tables[0]!.key, m.tables[0]!.role],
    [['id'], 'bridge'],
  ],
  [
    'an empty text takes a field away',
    [{ do: 'set-table', table: 'loan', change: { grain: '' } }],
    (m) => m.tables[0]!.grain,
    undefined,
  ],
  [
    'a column',
    [{ do: 'set-column', table: 'loan', column: 'Fine', change: { use: 'quantity', hidden: true } }],
    (m) => m.tables[0]!.columns[1],
    { name: 'fine', type: 'decimal(9,2)', use: 'quantity', hidden: true },
  ],
  [
    'a new column',
    [{ do: 'put-column', table: 'loan', value: { name: 'late', type: 'boolean', formula: 'true' } }],
    (m) => m.tables[0]!.columns.length,
    3,
  ],
  [
    'a column in place of another',
    [{ do: 'put-column', table: 'loan', value: { name: 'FINE', type: 'double' } }],
    (m) => m.tables[0]!.columns.map((c) => c.type),
    ['integer', 'double'],
  ],
  [
    'a column less',
    [{ do: 'remove-column', table: 'loan', column: 'fine' }],
    (m) => m.tables[0]!.columns.length,
    1,
  ],
  [
    'a new measure',
    [{ do: 'put-measures', name: null, value: { name: 'B', formula: '1' } }],
    (m) => m.measures!.map((x) => x.name),
    ['Loans', 'B'],
  ],
  [
    'a measure of a name that is taken: that is a claim',
    [{ do: 'put-measures', name: null, value: { name: 'loans', formula: '1' } }],
    (m) => m.measures!.length,
    2,
  ],
  [
    'a measure renamed',
    [{ do: 'put-measures', name: 'Loans', value: { name: 'Lent', formula: 'count(loan)' } }],
    (m) => m.measures!.map((x) => x.name),
    ['Lent'],
  ],
  [
    'a relationship changed',
    [{ do: 'set-relationship', name: 'R', change: { default: false } }],
    (m) => m.relationships![0]!.default,
    false,
  ],
  ['a relationship less', [{ do: 'remove-relationships', name: 'r' }], (m) => m.relationships, []],
  [
    'a hierarchy of one name in another table',
    [{ do: 'put-hierarchies', name: null, value: { name: 'H', table: 'loan', levels: [] } }],
    (m) => m.hierarchies!.length,
    2,
  ],
  [
    'a hierarchy less, by table and name',
    [{ do: 'remove-hierarchies', name: 'branch.H' }],
    (m) => m.hierarchies,
    [],
  ],
  [
    'a perspective',
    [{ do: 'put-perspectives', name: 'P', value: { name: 'P', tables: ['branch'] } }],
    (m) => m.perspectives![0]!.tables,
    ['branch'],
  ],
  [
    'a calendar',
    [{ do: 'put-calendar', value: { table: 'branch', day: 'id' } }],
    (m) => m.calendars,
    [{ table: 'branch', day: 'id' }],
  ],
  [
    'a waiver in place of another',
    [{ do: 'waive', value: { claim: 'key-unique:loan', reason: 'other' } }],
    (m) => m.waivers,
    [{ claim: 'key-unique:loan', reason: 'other' }],
  ],
  ['a waiver ended', [{ do: 'end-waiver', claim: 'key-unique:loan' }], (m) => m.waivers, []],
  [
    'several as one',
    [
      { do: 'put-measures', name: null, value: { name: 'B', formula: '1' } },
      { do: 'remove-measures', name: 'Loans' },
    ],
    (m) => m.measures!.map((x) => x.name),
    ['B'],
  ],
];

test.each(edits)('%s', (_name, edit, look, expected) => {
  expect(editSchema.parse(edit)).toEqual(edit);
  const after = applyEdit(model, edit);
  expect(look(after)).toEqual(expected);
  // The model before is untouched, and what comes out can be written and read.
  expect(readModel(writeModel(model))).toEqual(model);
  expect(() => readModel(writeModel(after))).not.toThrow();
});

test.each<[Edit, RegExp]>([
  [[{ do: 'set-table', table: 'lone', change: {} }], /there is no table lone/],
  [[{ do: 'set-column', table: 'loan', column: 'x', change: {} }], /there is no column loan.x/],
  [[{ do: 'remove-column', table: 'loan', column: 'x' }], /there is no column loan.x/],
  [[{ do: 'remove-measures', name: 'x' }], /there is no "x" among the measures/],
  [
    [{ do: 'put-measures', name: 'gone', value: { name: 'x', formula: '1' } }],
    /there is no "gone" among the measures any more/,
  ],
  [
    [{ do: 'put-tables', name: null, value: { name: 'Branch', role: 'fact', columns: [] } }],
    /"Branch" is already used/,
  ],
  [[{ do: 'put-relationships', name: null, value: model.relationships![0]! }], /"r" is already used/],
])('an edit that does not fit says why: %j', (edit, message) => {
  expect(() => applyEdit(model, edit)).toThrow(message);
  expect(() => applyEdit(model, edit)).toThrow(EditError);
});

test('period families make measures in the format of their base', () => {
  const families: Model = {
    ...model,
    measures: [{ name: 'My "Loans"', formula: 'count(loan)', format: { decimals: 0 }, folder: 'F' }],
    periodFamilies: [{ measure: 'My "Loans"', periods: ['year to date'], calendar: 'branch' }],
  };
  expect(familyMeasures(families)).toEqual([
    {
      name: 'My "Loans", year to date',
      formula: '"My ""Loans""" over (year to date in "branch")',
      format: { decimals: 0 },
      folder: 'F',
    },
  ]);
  expect(withFamilies(model)).toBe(model);
});

test('with a column its place in the key, as the label and at relationships goes; without it nothing does', () => {
  const of: Model = {
    crease: 1,
    name: 'm',
    tables: [
      {
        name: 'loan',
        role: 'fact',
        key: ['no', 'line'],
        columns: ['no', 'line', 'branch', 'note'].map((name) => ({ name, type: 'text' })),
      },
      {
        name: 'branch',
        role: 'dimension',
        key: ['code'],
        label: 'code',
        columns: [{ name: 'code', type: 'text' }],
      },
    ],
    relationships: [
      {
        name: 'loan_branch',
        from: { table: 'loan', columns: ['branch'] },
        to: { table: 'branch', columns: ['code'] },
      },
    ],
  };
  const without = (table: string, column: string) => applyEdit(of, [{ do: 'remove-column', table, column }]);
  expect(without('loan', 'LINE').tables[0]!.key).toEqual(['no']);
  expect(without('loan', 'note')).toEqual({
    ...of,
    tables: [{ ...of.tables[0]!, columns: of.tables[0]!.columns.slice(0, 3) }, of.tables[1]],
  });
  expect(without('loan', 'branch').relationships).toEqual([]);
  const bare = without('branch', 'code');
  expect(bare.tables[1]).toEqual({ name: 'branch', role: 'dimension', columns: [] });
  expect(bare.relationships).toEqual([]);
  expect(() => without('loan', 'gone')).toThrow('there is no column loan.gone');
});
