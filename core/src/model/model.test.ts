import type { Model } from './index.ts';
import { applyEdit, EditError, editSchema } from '../edit/index.ts';
import {
  argumentOf,
  DocumentError,
  modelJsonSchema,
  ModelNames,
  readModel,
  readQuery,
  STEP_ARGUMENTS,
  stepsOf,
  writeModel,
} from './index.ts';

const model: Model = {
  crease: 1,
  name: 'small',
  tables: [
    {
      name: 'loan',
      role: 'fact',
      columns: [{ name: 'fine', type: 'decimal(9,2)', use: 'quantity' }],
      source: { file: 'loan.csv' },
    },
    { name: 'branch.old', role: 'dimension', columns: [{ name: 'branch id', type: 'integer', use: 'key' }] },
  ],
  hierarchies: [{ name: 'Geography', table: 'loan', levels: [] }],
};
const faults = (json: unknown): string => {
  try {
    readModel(typeof json === 'string' ? json : JSON.stringify(json));
  } catch (error) {
    if (error instanceof DocumentError) return error.message;
    throw error;
  }
  return '';
};

test('reading and writing a file changes nothing in it', () => {
  const text = writeModel(model);
  expect(readModel(text)).toEqual(model);
  expect(writeModel(readModel(text))).toBe(text);
  expect(text).toContain('\n        { "name": "fine", "type": "decimal(9,2)", "use": "quantity" }');
});

test.each([
  [{ ...model, crease: 7 }, /format version 7, this program reads up to 1/],
  [{ ...model, relationship: [] }, /model: unknown field "relationship", did you mean "relationships"\?/],
  [
    { ...model, tables: [{ ...model.tables[0], collumns: [] }] },
    /model\.tables\.loan: unknown field "collumns", did you mean "columns"\?/,
  ],
  [
    { ...model, tables: [{ name: 'loan', role: 'fact', columns: [{ name: 'fine', type: 'money' }] }] },
    /model\.tables\.loan\.columns\.fine\.type: "money" is no type/,
  ],
  ['{ "crease": 1,\n  oops }', /not JSON, line 2, column 3/],
  ['[]', /one JSON object/],
])('a broken file says what and where: %j', (json, message) => {
  expect(faults(json)).toMatch(message);
});

test('a query with an unknown field is refused', () => {
  expect(() => readQuery('{"measures":["Loans"],"filter":[]}')).toThrow(
    /query: unknown field "filter", did you mean "filters"/,
  );
});

test('columns are found plainly and in quotes, without regard to case', () => {
  const names = new ModelNames(model);
  expect(names.path('LOAN.Fine')?.column.name).toBe('fine');
  expect(names.path('"branch.old"."branch id"')?.column.name).toBe('branch id');
  expect(names.path('branch.old.branch id')?.column.name).toBe('branch id');
  expect(names.path('loan.nothing')).toBeUndefined();
});

test('edits change what they name, share the rest, and say what they cannot find', () => {
  const edited = applyEdit(model, [
    { do: 'set-column', table: 'Loan', column: 'FINE', change: { use: 'attribute', aggregate: 'none' } },
  ]);
  expect(edited.tables[0]!.columns[0]).toEqual({
    name: 'fine',
    type: 'decimal(9,2)',
    use: 'attribute',
    aggregate: 'none',
  });
  expect(edited.tables[1]).toBe(model.tables[1]);
  expect(model.tables[0]!.columns[0]!.use).toBe('quantity');
  expect(() => applyEdit(model, [{ do: 'remove-tables', name: 'lone' }])).toThrow(EditError);
  expect(() =>
    applyEdit(model, [{ do: 'put-tables', name: null, value: { name: 'LOAN', role: 'fact', columns: [] } }]),
  ).toThrow(/"LOAN" is already used/);
});

test('an edit from outside is checked whole', () => {
  expect(
    editSchema.safeParse([
      { do: 'put-measures', name: null, value: { name: 'Loans', formula: 'count(loan)' } },
    ]).success,
  ).toBe(true);
  expect(editSchema.safeParse([{ do: 'put-measures', name: null, value: { name: 'Loans' } }]).success).toBe(
    false,
  );
  expect(editSchema.safeParse([{ do: 'drop-everything' }]).success).toBe(false);
});

test('a JSON Schema is published', () => {
  expect(modelJsonSchema()).toMatchObject({
    title: 'Crease model file',
    type: 'object',
    additionalProperties: false,
  });
});

describe('steps in the file', () => {
  const derived = (...steps: object[]) =>
    readModel(
      JSON.stringify({
        ...model,
        tables: [...model.tables, { name: 'busy', role: 'dimension', columns: [], source: { steps } }],
      }),
    ).tables.at(-1)!;

  it('has a schema of its own for each verb', () => {
    const text = JSON.stringify(modelJsonSchema());
    for (const verb of Object.keys(STEP_ARGUMENTS)) expect(text).toContain(`"required":["${verb}"]`);
  });

  it('keeps a step that is not complete, which then has no argument', () => {
    const steps = [
      { from: 'loan' },
      { lookup: { table: '', on: [['', '']], columns: [] } },
      { sieve: 'fine' },
    ];
    const kept = stepsOf(derived(...steps));
    expect(kept).toEqual(steps);
    expect(argumentOf(kept[0]!, 'from')).toBe('loan');
    expect(argumentOf(kept[1]!, 'lookup')).toBeUndefined();
  });
});
