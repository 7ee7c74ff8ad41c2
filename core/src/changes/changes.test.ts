import fc from 'fast-check';
import { applyEdit } from '../edit/index.ts';
import type { Edit } from '../edit/index.ts';
import type { Model } from '../model/index.ts';
import { readModel, writeModel } from '../model/index.ts';
import type { Answer } from '../query/index.ts';
import { compareAnswers, diffModels, mergeModels } from './index.ts';

const BASE: Model = {
  crease: 1,
  name: 'library',
  title: 'Library',
  tables: [
    {
      name: 'loan',
      role: 'fact',
      source: { file: 'loan.csv' },
      key: ['no'],
      columns: [
        { name: 'no', type: 'integer', use: 'key' },
        { name: 'branch', type: 'text', use: 'reference' },
        { name: 'fine', type: 'decimal(9,2)', use: 'quantity' },
        { name: 'dear', type: 'boolean', formula: 'fine > 5' },
      ],
    },
    {
      name: 'branch',
      role: 'dimension',
      source: { file: 'branch.csv' },
      key: ['code'],
      columns: [
        { name: 'code', type: 'text', use: 'key' },
        { name: 'name', type: 'text' },
      ],
    },
  ],
  relationships: [
    {
      name: 'loan_branch',
      from: { table: 'loan', columns: ['branch'] },
      to: { table: 'branch', columns: ['code'] },
    },
  ],
  measures: [
    { name: 'Loans', formula: 'count(loan)' },
    { name: 'Fines', formula: 'sum(loan.fine)', folder: 'Money' },
    { name: 'Fine per loan', formula: '"Fines" / "Loans"' },
  ],
  perspectives: [{ name: 'Desk', tables: ['branch'], measures: ['Loans'] }],
};
const edited = (edits: Edit, of = BASE): Model => applyEdit(of, edits);
const told = (before: Model, after: Model) =>
  diffModels(before, after).map(({ kind, name, change }) => `${change} ${kind} ${name}`);

test('equal models differ in nothing, however their files are laid out', () => {
  expect(diffModels(BASE, BASE)).toEqual([]);
  expect(diffModels(BASE, readModel(writeModel(BASE)))).toEqual([]);
  expect(diffModels(BASE, { ...BASE, measures: [...BASE.measures!].reverse() })).toEqual([]);
});

test('objects are told as added, removed and changed, with the fields that differ', () => {
  const after = edited([
    { do: 'put-measures', name: null, value: { name: 'Dear', formula: 'count(loan) filter (where dear)' } },
    { do: 'remove-perspectives', name: 'Desk' },
    {
      do: 'put-measures',
      name: 'Fines',
      value: { name: 'Fines', formula: 'sum(loan.fine) * 2', folder: 'Money' },
    },
    { do: 'set-column', table: 'loan', column: 'fine', change: { hidden: true } },
    { do: 'set-table', table: 'branch', change: { title: 'Branches' } },
    { do: 'set-model', change: { title: 'The library' } },
  ]);
  expect(diffModels(BASE, after)).toEqual([
    { kind: 'perspective', name: 'Desk', change: 'removed', was: BASE.perspectives![0] },
    {
      kind: 'model',
      name: 'library',
      change: 'changed',
      was: { title: 'Library' },
      now: { title: 'The library' },
    },
    { kind: 'column', name: 'loan.fine', change: 'changed', was: {}, now: { hidden: true } },
    { kind: 'table', name: 'branch', change: 'changed', was: {}, now: { title: 'Branches' } },
    {
      kind: 'measure',
      name: 'Fines',
      change: 'changed',
      was: { formula: 'sum(loan.fine)' },
      now: { formula: 'sum(loan.fine) * 2' },
    },
    {
      kind: 'measure',
      name: 'Dear',
      change: 'added',
      now: { name: 'Dear', formula: 'count(loan) filter (where dear)' },
    },
  ]);
  expect(told(after, BASE).sort()).toEqual(
    [
      'added perspective Desk',
      'removed measure Dear',
      'changed model library',
      'changed column loan.fine',
      'changed table branch',
      'changed measure Fines',
    ].sort(),
  );
});

test('a new name is told once, as a guess, and what only names it is not told', () => {
  const after = edited([
    { do: 'rename', of: { table: 'loan' }, to: 'lending' },
    { do: 'rename', of: { table: 'lending', column: 'fine' }, to: 'late_fee' },
    { do: 'rename', of: { measure: 'Fines' }, to: 'Late fees' },
    { do: 'rename', of: { relationship: 'loan_branch' }, to: 'lent_at' },
  ]);
  expect(diffModels(BASE, after).map(({ was: _, ...c }) => c)).toEqual([
    { kind: 'table', name: 'lending', change: 'renamed', now: 'lending', guess: true },
    { kind: 'column', name: 'lending.late_fee', change: 'renamed', now: 'late_fee', guess: true },
    { kind: 'relationship', name: 'lent_at', change: 'renamed', now: 'lent_at', guess: true },
    { kind: 'measure', name: 'Late fees', change: 'renamed', now: 'Late fees', guess: true },
  ]);
});

test('columns in another order, and a table with its columns, are one change each', () => {
  const [loan, branch] = BASE.tables as [Model['tables'][0], Model['tables'][0]];
  const turned = { ...BASE, tables: [{ ...loan, columns: [...loan.columns].reverse() }, branch] };
  expect(told(BASE, turned)).toEqual(['changed table loan']);
  const without = { ...BASE, tables: [loan] };
  expect(told(BASE, without)).toEqual(['removed table branch']);
  expect(told(without, BASE)).toEqual(['added table branch']);
});

test('what one side alone changed is taken over, of different objects and of different columns of a table', () => {
  const ours = edited([
    { do: 'set-column', table: 'loan', column: 'fine', change: { hidden: true } },
    { do: 'put-measures', name: null, value: { name: 'Mine', formula: 'count(branch)' } },
    { do: 'remove-perspectives', name: 'Desk' },
  ]);
  const theirs = edited([
    { do: 'set-column', table: 'loan', column: 'branch', change: { title: 'Where' } },
    { do: 'put-measures', name: null, value: { name: 'Yours', formula: 'count(loan) + 1' } },
    { do: 'set-table', table: 'loan', change: { grain: 'one loan' } },
  ]);
  const { model, conflicts } = mergeModels(BASE, ours, theirs);
  expect(conflicts).toEqual([]);
  expect(model.perspectives).toBeUndefined();
  expect(model.tables[0]).toMatchObject({ grain: 'one loan' });
  expect(model.tables[0]!.columns.slice(1, 3)).toMatchObject([{ title: 'Where' }, { hidden: true }]);
  expect(model.measures!.map((m) => m.name).sort()).toEqual(
    ['Loans', 'Fines', 'Fine per loan', 'Mine', 'Yours'].sort(),
  );
});

test('where both changed an object differently ours stands, and the conflict has all three', () => {
  const formula = (text: string) =>
    edited([{ do: 'put-measures', name: 'Fines', value: { name: 'Fines', formula: text } }]);
  const { model, conflicts } = mergeModels(
    BASE,
    formula('sum(loan.fine) + 1'),
    formula('sum(loan.fine) + 2'),
  );
  expect(model.measures![1]!.formula).toBe('sum(loan.fine) + 1');
  expect(conflicts).toEqual([
    {
      kind: 'measure',
      name: 'Fines',
      base: BASE.measures![1],
      ours: { name: 'Fines', formula: 'sum(loan.fine) + 1' },
      theirs: { name: 'Fines', formula: 'sum(loan.fine) + 2' },
    },
  ]);
  const gone = edited([{ do: 'remove-measures', name: 'Fine per loan' }]);
  const other = edited([
    { do: 'put-measures', name: 'Fine per loan', value: { name: 'Fine per loan', formula: '1' } },
  ]);
  expect(mergeModels(BASE, gone, other).model.measures).toHaveLength(2);
  expect(mergeModels(BASE, gone, other).conflicts).toMatchObject([
    { name: 'Fine per loan', theirs: { formula: '1' } },
  ]);
});

test('a table that one side removes while the other works on it: ours decides for all of it', () => {
  const without = { ...BASE, tables: [BASE.tables[0]!], relationships: [] };
  const worked = edited([
    { do: 'put-column', table: 'branch', value: { name: 'town', type: 'text' } },
    { do: 'set-column', table: 'branch', column: 'name', change: { title: 'Name' } },
  ]);
  const kept = mergeModels(BASE, worked, without);
  expect(kept.model.tables[1]!.columns.map((c) => c.name)).toEqual(['code', 'name', 'town']);
  expect(kept.conflicts.map((c) => `${c.kind} ${c.name}`)).toContain('table branch');
  const gone = mergeModels(BASE, without, worked);
  expect(gone.model.tables.map((t) => t.name)).toEqual(['loan']);
  expect(gone.conflicts.map((c) => `${c.kind} ${c.name}`)).toContain('table branch');
});

test('new names of one side are followed in what the other side wrote', () => {
  const ours = edited([
    { do: 'rename', of: { table: 'loan', column: 'fine' }, to: 'late_fee' },
    { do: 'rename', of: { table: 'loan' }, to: 'lending' },
  ]);
  const theirs = edited([
    { do: 'put-measures', name: null, value: { name: 'Most', formula: 'max(loan.fine)' } },
    { do: 'set-column', table: 'loan', column: 'fine', change: { title: 'Fine' } },
    { do: 'rename', of: { measure: 'Loans' }, to: 'Lendings' },
  ]);
  const { model, conflicts } = mergeModels(BASE, ours, theirs);
  expect(conflicts).toEqual([]);
  expect(model.measures!.map((m) => [m.name, m.formula])).toEqual([
    ['Lendings', 'count(lending)'],
    ['Fines', 'sum(lending.late_fee)'],
    ['Fine per loan', '"Fines" / "Lendings"'],
    ['Most', 'max(lending.late_fee)'],
  ]);
  expect(model.tables[0]!.columns[2]).toMatchObject({ name: 'late_fee', title: 'Fine' });
  expect(model.perspectives![0]!.measures).toEqual(['Lendings']);
});

test('one thing that both name differently is a conflict, and has our name', () => {
  const name = (to: string) => edited([{ do: 'rename', of: { measure: 'Fines' }, to }]);
  const { model, conflicts } = mergeModels(BASE, name('Late fees'), name('Charges'));
  expect(model.measures!.map((m) => m.name)).toEqual(['Loans', 'Late fees', 'Fine per loan']);
  expect(model.measures![2]!.formula).toBe('"Late fees" / "Loans"');
  expect(conflicts).toEqual([
    {
      kind: 'measure',
      name: 'Fines',
      base: { name: 'Fines' },
      ours: { name: 'Late fees' },
      theirs: { name: 'Charges' },
    },
  ]);
});

/** Edits that always apply, in any order. */
const EDITS: readonly Edit[] = [
  [{ do: 'set-table', table: 'loan', change: { grain: 'one loan' } }],
  [{ do: 'set-column', table: 'loan', column: 'fine', change: { hidden: true } }],
  [{ do: 'set-column', table: 'branch', column: 'name', change: { title: 'Name' } }],
  [{ do: 'put-column', table: 'branch', value: { name: 'town', type: 'text' } }],
  [{ do: 'put-measures', name: null, value: { name: 'Most', formula: 'max(loan.fine)' } }],
  [{ do: 'put-measures', name: 'Loans', value: { name: 'Loans', formula: 'count(loan) * 1' } }],
  [{ do: 'remove-perspectives', name: 'Desk' }],
  [{ do: 'set-model', change: { title: 'Other' } }],
];

test('laws: merging with what did not change gives the other side; edits apart never clash, in either order', () => {
  const some = fc.uniqueArray(fc.nat(EDITS.length - 1), { maxLength: EDITS.length });
  fc.assert(
    fc.property(some, some, (a, b) => {
      const make = (list: readonly number[]) => edited(list.flatMap((i) => EDITS[i]!));
      const [mine, yours] = [make(a), make(b)];
      expect(diffModels(mergeModels(BASE, mine, BASE).model, mine)).toEqual([]);
      expect(diffModels(mergeModels(BASE, BASE, yours).model, yours)).toEqual([]);
      const merged = mergeModels(BASE, mine, yours);
      expect(merged.conflicts).toEqual([]);
      expect(diffModels(merged.model, mergeModels(BASE, yours, mine).model)).toEqual([]);
      const both = make([...new Set([...a, ...b])]);
      expect(diffModels(merged.model, both)).toEqual([]);
    }),
    { numRuns: 60 },
  );
});

test('answers are compared by their members: other numbers, rows of one side, a measure of another name', () => {
  const answer = (rows: (string | number | null)[][], name = 'Loans'): Answer => ({
    columns: [
      { name: 'branch', type: 'text', kind: 'by' },
      { name, type: 'integer', kind: 'measure' },
    ],
    rows,
    unreached: [],
  });
  const before = answer([
    ['N', 1],
    ['S', 2],
    ['X', 3],
    ['N', 9],
  ]);
  expect(compareAnswers(before, before)).toEqual({ rows: 4, differing: 0 });
  expect(compareAnswers(before, answer([...before.rows].reverse() as never, 'Lendings')).differing).toBe(2);
  expect(
    compareAnswers(
      before,
      answer([
        ['N', 1],
        ['S', 5],
        ['N', 9],
        ['Y', 7],
      ]),
    ),
  ).toEqual({ rows: 5, differing: 3, first: { members: ['S'], before: [2], after: [5] } });
});
