import { applyEdit } from '@crease/core/edit';
import type { Model } from '@crease/core/model';
import type { TextField, TextKind } from './texts.ts';
import { cellsOf, editOfTexts, matchingTexts, pasted, sheetOf, textsOf } from './texts.ts';

const model: Model = {
  crease: 1,
  name: 'library',
  description: 'What is lent',
  tables: [
    {
      name: 'loan',
      title: 'Loans',
      role: 'fact',
      columns: [
        { name: 'fine', type: 'integer', description: 'for days late' },
        { name: 'a.b', type: 'text' },
      ],
    },
    { name: 'branch', role: 'dimension', columns: [{ name: 'name', type: 'text' }] },
  ],
  measures: [
    { name: 'Fines', formula: 'sum(loan.fine)', description: 'all fines' },
    { name: 'fines', formula: 'count(loan)' },
  ],
  hierarchies: [{ name: 'Places', table: 'branch', levels: [{ name: 'Branch', column: 'name' }] }],
};
const row = (of: Model, kind: TextKind, name: string) =>
  textsOf(of).find((r) => r.kind === kind && r.name === name)!;
const written = (kind: TextKind, name: string, field: TextField, text: string) =>
  applyEdit(model, editOfTexts(model, [{ row: row(model, kind, name), field, text }]));

test('every object has its texts, of measures of one name the first', () => {
  expect(textsOf(model).map((r) => `${r.kind} ${r.name}`)).toEqual([
    'model library',
    'table loan',
    'column loan.fine',
    'column "loan"."a.b"',
    'table branch',
    'column branch.name',
    'measure Fines',
    'hierarchy branch.Places',
  ]);
});

test.each(textsOf(model).map((r) => [r.kind, r.name] as const))(
  'texts of %s %s are written and taken away',
  (kind, name) => {
    for (const field of ['title', 'description'] as const) {
      const after = written(kind, name, field, 'As people say');
      expect(row(after, kind, name)).toEqual({ ...row(model, kind, name), [field]: 'As people say' });
      // Nothing else changes.
      expect(textsOf(after).filter((r) => r.name !== name)).toEqual(
        textsOf(model).filter((r) => r.name !== name),
      );
      const away = applyEdit(after, editOfTexts(after, [{ row: row(after, kind, name), field, text: '' }]));
      expect(row(away, kind, name)[field]).toBe('');
      expect(JSON.stringify(away)).not.toContain(`"${field}":""`);
    }
  },
);

test('what stands already is no edit, and both fields of an object are one', () => {
  const loan = row(model, 'table', 'loan');
  expect(editOfTexts(model, [{ row: loan, field: 'title', text: 'Loans' }])).toEqual([]);
  expect(
    editOfTexts(model, [
      { row: loan, field: 'title', text: 'Lendings' },
      { row: loan, field: 'description', text: 'One row a loan' },
    ]),
  ).toEqual([
    { do: 'set-table', table: 'loan', change: { title: 'Lendings', description: 'One row a loan' } },
  ]);
});

test('a piece of a spreadsheet goes down and right from where it is pasted', () => {
  expect(cellsOf('a\tb\r\n"c ""d""\nand\te"\tf\n')).toEqual([
    ['a', 'b'],
    ['c "d"\nand\te', 'f'],
  ]);
  const shown = textsOf(model).slice(1, 4);
  const { changes, beyond } = pasted(
    shown,
    1,
    'title',
    cellsOf('Fine\tA fee\tmore\nOther\tText\nnowhere\tno'),
  );
  expect(changes.map((c) => [c.row.name, c.field, c.text])).toEqual([
    ['loan.fine', 'title', 'Fine'],
    ['loan.fine', 'description', 'A fee'],
    ['"loan"."a.b"', 'title', 'Other'],
    ['"loan"."a.b"', 'description', 'Text'],
  ]);
  expect(beyond).toBe(3);
});

test('what is copied out comes back in', () => {
  const odd = applyEdit(model, [
    { do: 'set-table', table: 'loan', change: { description: 'two\nlines, a\ttab and "quotes"' } },
  ]);
  const [, ...lines] = cellsOf(sheetOf(textsOf(odd)));
  expect(lines.map(([kind, name, title, description]) => ({ kind, name, title, description }))).toEqual(
    textsOf(odd),
  );
});

test('what is searched for is found in names, titles and descriptions', () => {
  const found = (search: string, kind: TextKind | 'all' = 'all', without = false) =>
    matchingTexts(textsOf(model), search, kind, without).map((r) => r.name);
  expect(found('LATE')).toEqual(['loan.fine']);
  expect(found('loan')).toEqual(['loan', 'loan.fine', '"loan"."a.b"']);
  expect(found('', 'measure')).toEqual(['Fines']);
  expect(found('', 'column', true)).toEqual(['"loan"."a.b"', 'branch.name']);
});
