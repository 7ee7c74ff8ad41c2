import { applyEdit } from '@crease/core/edit';
import type { Model } from '@crease/core/model';
import { familyMeasures } from '@crease/core/model';
import { baseMeasuresOf, editOfBase, quantitiesOf } from './baseMeasures.ts';
import { editOfMany, removalOf, renamesOf } from './bulk.ts';
import { builtOf } from './builtOf.ts';
import { catalogOf, linesOf, matchingEntries, sortedEntries, usedByOf } from './catalog.ts';
import { csvOfEntries, markdownOfEntries, pastedMeasures, sheetOfEntries } from './sheet.ts';

const model: Model = {
  crease: 1,
  name: 'library',
  tables: [
    {
      name: 'loan',
      role: 'fact',
      key: ['loan_id'],
      columns: [
        { name: 'loan_id', type: 'integer' },
        { name: 'branch_id', type: 'integer' },
        { name: 'fine', type: 'decimal(9,2)', title: 'Fine paid' },
        { name: 'days out', type: 'integer' },
        { name: 'late', type: 'boolean', formula: 'fine > 0' },
      ],
    },
    { name: 'branch', role: 'dimension', key: ['id'], columns: [{ name: 'id', type: 'integer' }] },
  ],
  relationships: [
    {
      name: 'loan_branch',
      from: { table: 'loan', columns: ['branch_id'] },
      to: { table: 'branch', columns: ['id'] },
    },
  ],
  measures: [
    { name: 'Loans', formula: 'count(loan)', folder: 'Lending', description: 'All "loans"' },
    { name: 'Fines', formula: 'sum(loan.fine)', format: { decimals: 2, unit: '€' }, hidden: true },
    { name: 'Fine per loan', formula: '"Fines"\n  / "Loans"', folder: 'Lending', goal: { measure: 'Fines' } },
  ],
  periodFamilies: [{ measure: 'Loans', periods: ['year to date'] }],
  perspectives: [
    { name: 'Desk', tables: ['loan'], measures: ['Loans', { measure: 'Fines', title: 'Paid' }] },
  ],
  trials: [{ name: 'By branch', query: { measures: ['Loans'] } }],
};
const entries = catalogOf(model);
const usedBy = usedByOf([
  { name: 'Fine per loan', type: 'double', measures: ['Fines', 'Loans'], columns: [] },
  { name: 'Loans, year to date', type: 'integer', measures: ['Loans'], columns: [] },
  { name: 'Fines', type: 'decimal(9,2)', measures: [], columns: ['loan.fine'] },
]);
const named = (...names: string[]) => entries.filter((e) => names.includes(e.name));

test('the catalog has measures, their periods behind them, and derived columns', () => {
  expect(entries.map((e) => [e.kind, e.name])).toEqual([
    ['measure', 'Loans'],
    ['period', 'Loans, year to date'],
    ['measure', 'Fines'],
    ['measure', 'Fine per loan'],
    ['column', 'loan.late'],
  ]);
  expect(entries[1]!.formula).toBe(familyMeasures(model)[0]!.formula);
});

test('it is searched by all words in any text, sorted, and put under headings', () => {
  expect(matchingEntries(entries, 'fine LOAN', 'all').map((e) => e.name)).toEqual([
    'Fines',
    'Fine per loan',
    'loan.late',
  ]);
  expect(matchingEntries(entries, '', 'column').map((e) => e.name)).toEqual(['loan.late']);
  expect(
    sortedEntries(entries, 'used by', usedBy)
      .map((e) => e.name)
      .slice(0, 2),
  ).toEqual(['Loans', 'Fines']);
  expect(sortedEntries(entries, 'name', usedBy)[0]!.name).toBe('Fine per loan');
  const headings = linesOf(entries, 'model').flatMap((l) =>
    l.kind === 'heading' ? [`${l.text} ${l.count}`] : [],
  );
  expect(headings).toEqual(['Lending 3', 'no folder 1', 'derived columns 1']);
  expect(linesOf(entries, 'name')).toHaveLength(entries.length);
});

test('cells that are copied and pasted again change nothing', () => {
  const own = entries.filter((e) => e.kind === 'measure');
  expect(pastedMeasures(model, sheetOfEntries(own))).toEqual({
    edit: [],
    added: [],
    changed: [],
    refused: [],
  });
});

test('pasted cells add and change measures, and say which lines cannot be taken', () => {
  const text = [
    'Name\tformula\tnote\tfolder\thidden\tformat',
    'loans\t\tx\t\tyes\t{"decimals":0}',
    'Returns\tcount(loan)\t\tDesk\t\t',
    'Empty\t\t\t\t\t',
    '\tcount(loan)\t\t\t\t',
    'Returns\tcount(loan)\t\t\t\t',
    'Fines\t\t\t\tmaybe\t',
    'Other\tcount(loan)\t\t\t\tred',
  ].join('\n');
  const read = pastedMeasures(model, text);
  expect([read.added, read.changed]).toEqual([['Returns'], ['loans']]);
  expect(read.refused.map((r) => r.line)).toEqual([4, 5, 6, 7, 8]);
  const after = applyEdit(model, read.edit);
  expect(after.measures!.find((m) => m.name === 'Loans')).toEqual({
    name: 'Loans',
    formula: 'count(loan)',
    description: 'All "loans"',
    hidden: true,
    format: { decimals: 0 },
  });
  expect(after.measures!.at(-1)).toEqual({ name: 'Returns', formula: 'count(loan)', folder: 'Desk' });
});

test('it is saved as CSV and as Markdown', () => {
  expect(csvOfEntries(named('Loans')).split('\n')[1]).toBe('Loans,,,count(loan),Lending,"All ""loans""",,');
  const text = markdownOfEntries('Library', named('Loans', 'Fine per loan'));
  expect(text).toContain('## Lending\n\n### Loans\n\nAll "loans"');
  expect(text).toContain('```\n"Fines"\n  / "Loans"\n```');
});

test('a change of many touches what it names, of measures and derived columns', () => {
  const edit = editOfMany(model, named('Fines', 'loan.late', 'Loans, year to date'), {
    folder: 'Money',
    format: { unit: undefined, thousands: true },
    hidden: false,
  });
  const after = applyEdit(model, edit);
  expect(after.measures![1]).toEqual({
    name: 'Fines',
    formula: 'sum(loan.fine)',
    format: { decimals: 2, thousands: true },
    folder: 'Money',
  });
  expect(after.tables[0]!.columns.at(-1)).toMatchObject({ folder: 'Money', format: { thousands: true } });
  expect(
    editOfMany(
      after,
      catalogOf(after).filter((e) => e.name === 'Fines'),
      { folder: 'Money' },
    ),
  ).toEqual([]);
});

test('new names are made by a pattern; one that is used already is told before anything is stored', () => {
  const pattern = { find: 'Loans', replaceBy: 'Lent', before: '', after: '' };
  expect(renamesOf(model, ['Loans', 'Fines'], pattern)).toEqual({
    renames: [{ from: 'Loans', to: 'Lent' }],
    clashes: [],
  });
  expect(renamesOf(model, ['Loans'], { ...pattern, replaceBy: 'Fines' }).clashes).toEqual([
    '"Fines" is already used',
  ]);
  expect(renamesOf(model, ['Loans'], { ...pattern, replaceBy: '' }).clashes).toEqual([
    'Loans would have no name',
  ]);
  // Names that are freed by the same act are free.
  const swap = renamesOf(
    {
      ...model,
      measures: [
        { name: 'a', formula: '1' },
        { name: 'aa', formula: '2' },
      ],
    },
    ['a', 'aa'],
    {
      find: '',
      replaceBy: '',
      before: 'a',
      after: '',
    },
  );
  expect(swap.clashes).toEqual([]);
});

test('removing measures takes their periods and places along, and says what will be broken', () => {
  const { edit, breaks } = removalOf(model, ['Loans', 'Fines'], usedBy);
  expect(breaks).toEqual(['Fine per loan', 'the trial By branch', 'the goal of Fine per loan']);
  const after = applyEdit(model, edit);
  expect([after.measures!.length, after.periodFamilies, after.perspectives![0]!.measures]).toEqual([
    1,
    [],
    [],
  ]);
  expect(removalOf(model, ['Fine per loan'], usedBy).breaks).toEqual([]);
  // A measure that is only called like a period of it is none.
  const alike = new Map([['loans', ['Loans, by hand', 'Loans, year to date']]]);
  expect(removalOf(model, ['Loans'], alike).breaks).toContain('Loans, by hand');
  expect(removalOf(model, ['Loans'], alike).breaks).not.toContain('Loans, year to date');
});

test('base measures are made of chosen quantities, several aggregates at once, with free names', () => {
  const quantities = quantitiesOf(model);
  expect(quantities.map((q) => q.path)).toEqual(['loan.fine', 'loan.days out']);
  const choice = {
    quantities,
    aggregates: ['sum', 'avg'] as const,
    countsRows: true,
    pattern: '{aggregate} {column}',
    folder: '',
    hidesColumns: true,
  };
  const made = baseMeasuresOf(model, choice);
  expect(made.map(({ measure }) => [measure.name, measure.formula])).toEqual([
    ['Total Fine paid', 'sum(loan.fine)'],
    ['Average Fine paid', 'avg(loan.fine)'],
    ['Total days out', 'sum(loan."days out")'],
    ['Average days out', 'avg(loan."days out")'],
    ['Rows of loan', 'count(loan)'],
  ]);
  expect(made[3]!.measure.format).toEqual({ decimals: 2, thousands: true });
  const after = applyEdit(model, editOfBase(made, choice));
  expect(after.tables[0]!.columns.filter((c) => c.hidden).map((c) => c.name)).toEqual(['fine', 'days out']);
  // Made once more, every name is used already.
  const again = baseMeasuresOf(after, { ...choice, pattern: 'Loans' });
  expect(again.map((m) => [m.measure.name, m.wanted])).toEqual([
    ['Loans of loan', 'Loans'],
    ['Loans of loan 2', 'Loans'],
    ['Loans of loan 3', 'Loans'],
    ['Loans of loan 4', 'Loans'],
    ['Rows of loan of loan', 'Rows of loan'],
  ]);
});

test('a measure stands between what it is built from and what builds on it, in layers', () => {
  const uses = new Map([
    ['c', ['B', 'A']],
    ['b', ['A', 't.x']],
    ['a', ['t.x']],
    ['d', ['C']],
    ['e', ['D', 'C']],
  ]);
  const by = usedByOf([...uses].map(([name, measures]) => ({ name, type: 'double', measures, columns: [] })));
  const { nodes, edges, more } = builtOf('C', uses, by);
  expect(Object.fromEntries(nodes.map((n) => [n.name.toLowerCase(), n.layer]))).toEqual({
    c: 0,
    b: 1,
    a: 2,
    't.x': 3,
    d: -1,
    e: -2,
  });
  expect(edges).toHaveLength(8);
  expect(more).toBe(0);
  const circle = new Map([
    ['a', ['b']],
    ['b', ['a']],
  ]);
  expect(builtOf('a', circle, circle).nodes.map((n) => n.name)).toEqual(['a', 'b']);
  const wide = new Map([['a', Array.from({ length: 100 }, (_, i) => `m${i}`)]]);
  expect(builtOf('a', wide, new Map())).toMatchObject({ more: 61 });
});
