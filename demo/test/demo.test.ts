import type { TableData } from '@crease/core/columns';
import { judgeModel } from '@crease/core/claims';
import { readModel, writeModel } from '@crease/core/model';
import { proposeStar, acceptAll } from '@crease/core/propose';
import { answerQuery, ModelData } from '@crease/core/query';
import { readTable } from '@crease/core/reading';
import { adviceOn, profileModel } from '@crease/core/storage';
import { DATE, textReader } from '@crease/core/values';
import { demoFiles, demoModel } from '../src/index.ts';
import { readSpecOf, tableLoader } from '@crease/core/sources';

const LOANS = 4000;
const bytesOf = (name: string) =>
  new TextEncoder().encode(
    [
      ...demoFiles({ loans: LOANS })
        .find((f) => f.name === name)!
        .lines(),
    ].join(''),
  );
const today = textReader(DATE)('2026-06-30') as number;

function demoData(model = demoModel()): ModelData {
  const tables = new Map<string, TableData>();
  return new ModelData(
    model,
    tableLoader(model, today, (table) => {
      const { name } = table;
      if (!tables.has(name)) {
        const source = table.source as { file: string };
        const bytes = bytesOf(source.file);
        tables.set(name, readTable(readSpecOf(table, source, bytes, true), bytes));
      }
      return tables.get(name)!;
    }),
    today,
  );
}

test('the same options give the same bytes', () => {
  const first = demoFiles({ loans: 50 }).map((f) => [f.name, [...f.lines()].join('')]);
  expect(demoFiles({ loans: 50 }).map((f) => [f.name, [...f.lines()].join('')])).toEqual(first);
  expect([...demoFiles({ loans: 50, seed: 1 })[0]!.lines()].join('')).not.toBe(first[0]![1]);
});

test('the model file is read and written without a change', () => {
  expect(readModel(writeModel(demoModel()))).toEqual(demoModel());
});

test('every planted flaw is found, and nothing else blocks', () => {
  const data = demoData();
  const broken = judgeModel(data.model, data, '2026-07-01').filter((c) => c.verdict === 'broken');
  const blocking = broken.filter((c) => c.weight === 'blocks').map((c) => c.id);
  expect(blocking.sort()).toEqual([
    'bridge-weights:title_author',
    'calendar-continuous:calendar',
    'cardinality:budget_calendar',
    'cardinality:hold_card',
    'cardinality:loan_card',
    'key-unique:card',
    'level-single-parent:branch.Geography.Town',
    'path-single:hold->calendar',
    'reference-complete:lent_on',
    'reference-complete:loan_branch',
    'reference-complete:returned_on',
    'snapshot-measure:Copies on shelf',
    'tree-acyclic:staff.Line of report',
  ]);
  const warning = broken.filter((c) => c.weight === 'warns').map((c) => c.id);
  expect(warning).toEqual(
    expect.arrayContaining([
      'not-a-quantity:loan_export.card_no',
      'missing-side:Fines less budget',
      'measure-reach:Visitors<-title',
      'tree-label-unique:staff.Line of report',
    ]),
  );
});

test('totals reconcile: the members, the unmatched one included, add up to the total of a plain sum', () => {
  const answer = answerQuery(demoData(), { by: ['branch.name'], measures: ['Loans'], totals: true });
  expect(answer.rows.reduce((sum, row) => sum + Number(row[1]), 0)).toBe(LOANS);
  expect(answer.totals).toEqual([LOANS]);
  expect(answer.rows.at(-1)![0]).toBeNull();
});

test('the profile adds up, and advises against the text that holds moments', () => {
  const profile = profileModel(demoData());
  const loan = profile.tables.find((t) => t.name === 'loan_export')!;
  expect(loan.totalBytes).toBe(
    loan.columns.reduce((sum, c) => sum + c.totalBytes, 0) + loan.relationshipBytes + loan.hierarchyBytes,
  );
  expect(profile.totalBytes).toBe(profile.tables.reduce((sum, t) => sum + t.totalBytes, 0));
  const split = adviceOn(demoData()).find(
    (a) => a.column === 'loan_export.lent_at' && a.change.includes('split'),
  )!;
  expect(split.afterBytes).toBeLessThan(split.beforeBytes);
});

test('a star is drafted from the bare tables', () => {
  const bare = {
    ...demoModel(),
    relationships: [],
    hierarchies: [],
    calendars: [],
    measures: [],
    periodFamilies: [],
    detailListings: [],
    trials: [],
    perspectives: [],
  };
  const tables = bare.tables.map((t) => ({
    name: t.name,
    role: 'staging' as const,
    source: t.source,
    columns: t.columns
      .filter((c) => c.formula === undefined)
      .map(({ name, type, pattern }) => ({ name, type, ...(pattern ? { pattern } : {}) })),
  }));
  const data = demoData({ ...bare, tables });
  const drafted = acceptAll(data.model, proposeStar(data));
  const role = (name: string) => drafted.tables.find((t) => t.name === name)!.role;
  expect(['loan_export', 'stock_count', 'hold', 'budget'].map(role)).toEqual([
    'fact',
    'fact',
    'fact',
    'fact',
  ]);
  expect(['branch', 'title', 'calendar', 'card', 'staff', 'card_version'].map(role)).toEqual(
    Array<string>(6).fill('dimension'),
  );
  expect([role('title_author'), role('desk_log')]).toEqual(['bridge', 'staging']);
  const ends = drafted.relationships!.map((r) => `${r.from.table}.${r.from.columns.join()}>${r.to.table}`);
  expect(ends).toEqual(
    expect.arrayContaining([
      'loan_export.branch_code>branch',
      'loan_export.loan_date>calendar',
      'copy.title_id>title',
      'subject.area_code>subject_area',
      'title_author.author_id>author',
    ]),
  );
  expect(drafted.tables.find((t) => t.name === 'loan_export')!.key).toEqual(['receipt_no', 'line_no']);
  expect(
    drafted.tables.find((t) => t.name === 'loan_export')!.columns.find((c) => c.name === 'fine')!.use,
  ).toBe('quantity');
  expect(drafted.hierarchies![0]).toMatchObject({ table: 'staff', parent: 'manager_no' });
  // What is drafted is sound in itself: no second default way, no formula that cannot be evaluated.
  const again = demoData(drafted);
  const own = judgeModel(again.model, again, '2026-07-01');
  expect(
    own
      .filter(
        (c) =>
          c.verdict === 'broken' &&
          ['path-single', 'path-acyclic', 'formula-valid', 'measure-name', 'reference-type'].includes(c.kind),
      )
      .map((c) => c.id),
  ).toEqual([]);
});

test('everything in the demo has a description, and no description is of what is not there', () => {
  const model = demoModel();
  const named = [
    ...model.tables.map((t) => [t.name, t.description]),
    ...model.tables.flatMap((t) => t.columns.map((c) => [`${t.name}.${c.name}`, c.description])),
    ...model.measures!.map((m) => [m.name, m.description]),
    ...model.hierarchies!.map((h) => [h.name, h.description]),
  ];
  expect(named.filter(([, description]) => !description).map(([name]) => name)).toEqual([]);
});
