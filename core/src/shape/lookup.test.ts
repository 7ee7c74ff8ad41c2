import fc from 'fast-check';
import type { TableData } from '../columns/index.ts';
import { columnOfValues, columnValues, tableOf } from '../columns/index.ts';
import { applyEdit, matchVersions, parentsAsMembers, stepsUnder } from '../edit/index.ts';
import type { Model, Table } from '../model/index.ts';
import { fileOf, isDerived, sameName, stepsOf } from '../model/index.ts';
import { judgeClaim, listClaims } from '../claims/index.ts';
import { DataError, ModelData } from '../query/index.ts';
import type { Value } from '../values/index.ts';
import { DATE, INTEGER, TEXT } from '../values/index.ts';
import type { Step } from './index.ts';
import { derivedRows, originsOf, runSteps, traceSteps } from './index.ts';

const valuesOf = (table: TableData, name: string): Value[] => {
  const column = table.columns.get(name)!;
  return Array.from(column.codes, (code) => columnValues(column)[code]!);
};
const draft: Table = { name: 'made', role: 'fact', columns: [] };
const settingOf = (tables: Record<string, TableData>) => ({
  today: 0,
  table: (name: string) => {
    const found = tables[name];
    if (!found) throw new DataError(`the model has no table "${name}"`);
    return found;
  },
});

const member = fc.record({
  key: fc.constantFrom('a', 'b', 'c', null),
  from: fc.option(fc.integer({ min: 0, max: 9 })),
  to: fc.option(fc.integer({ min: 0, max: 9 })),
});
const own = fc.record({
  key: fc.constantFrom('a', 'b', 'c', 'd', null),
  day: fc.option(fc.integer({ min: 0, max: 9 })),
});

test('a lookup of a day takes the version that holds it, of several that which begins last; rows neither come nor go', () => {
  fc.assert(
    fc.property(
      fc.array(own, { maxLength: 12 }),
      fc.array(member, { maxLength: 12 }),
      fc.boolean(),
      (rows, members, closed) => {
        const tables = {
          fact: tableOf('fact', [
            columnOfValues(
              'key',
              TEXT,
              rows.map((r) => r.key),
            ),
            columnOfValues(
              'day',
              DATE,
              rows.map((r) => r.day),
            ),
          ]),
          version: tableOf('version', [
            columnOfValues(
              'key',
              TEXT,
              members.map((m) => m.key),
            ),
            columnOfValues(
              'since',
              DATE,
              members.map((m) => m.from),
            ),
            columnOfValues(
              'until',
              DATE,
              members.map((m) => m.to),
            ),
            columnOfValues(
              'row',
              INTEGER,
              members.map((_, i) => i),
            ),
          ]),
        };
        const valid = { at: 'day', from: 'since', ...(closed ? { to: 'until' } : {}) };
        const steps: Step[] = [
          { from: 'fact' },
          { lookup: { table: 'version', on: [['key', 'key']], columns: ['row', 'since'], valid } },
        ];
        const model: Model = { crease: 1, name: 'm', tables: [] };
        const { states } = traceSteps(model, draft, steps, settingOf(tables));
        const after = runSteps(draft, steps, settingOf(tables)).at(-1)!;
        expect(after.rowCount).toBe(rows.length);
        let [found, several, invalid] = [0, 0, 0];
        rows.forEach((r, i) => {
          const mine = members.flatMap((m, at) => (r.key !== null && m.key === r.key ? [{ ...m, at }] : []));
          const fits = mine.filter(
            (m) =>
              r.day !== null && (m.from ?? -Infinity) <= r.day && (!closed || (m.to ?? Infinity) >= r.day),
          );
          const begins = Math.max(...fits.map((m) => m.from ?? -Infinity));
          const last = fits.find((m) => (m.from ?? -Infinity) === begins);
          expect(valuesOf(after, 'row')[i]).toBe(last?.at ?? null);
          if (last) found++;
          else if (mine.length > 0) invalid++;
          if ((closed ? fits : fits.filter((m) => (m.from ?? -Infinity) === begins)).length > 1) several++;
        });
        const facts = states[1]!.lookup!;
        expect([facts.found, facts.several, facts.invalid, facts.lone]).toEqual([
          found,
          several,
          invalid,
          rows.length - found - invalid,
        ]);
        expect(facts.findings.map((f) => [f.kind, f.rows])).toEqual([
          ...(found < rows.length ? [['misses', rows.length - found]] : []),
          ...(several > 0 ? [['chooses', several]] : []),
        ]);
      },
    ),
    { numRuns: 300 },
  );
});

test('the newest row of a key is that with the largest value; a tie is told', () => {
  const tables = {
    title: tableOf('title', [columnOfValues('id', INTEGER, [1, 2, 3])]),
    price: tableOf('price', [
      columnOfValues('title_id', INTEGER, [1, 1, 2, 2]),
      columnOfValues('since', DATE, [5, 9, 4, 4]),
      columnOfValues('amount', INTEGER, [10, 20, 30, 40]),
    ]),
  };
  const steps: Step[] = [
    { from: 'title' },
    {
      lookup: {
        table: 'price',
        on: [['id', 'title_id']],
        columns: [{ column: 'amount', as: 'price' }],
        newest: 'since',
      },
    },
  ];
  const { states } = traceSteps({ crease: 1, name: 'm', tables: [] }, draft, steps, settingOf(tables));
  expect(valuesOf(runSteps(draft, steps, settingOf(tables)).at(-1)!, 'price')).toEqual([20, 30, null]);
  expect(states[1]!.lookup!.findings).toEqual([
    { kind: 'misses', rows: 1, keys: 1, sample: [{ key: [3], own: 1, theirs: 0 }] },
    { kind: 'chooses', rows: 1, keys: 1, sample: [{ key: [2], own: 1, theirs: 2 }] },
  ]);
});

test('a lookup that cannot be is refused with what is wrong', () => {
  const tables = {
    fact: tableOf('fact', [columnOfValues('key', TEXT, ['a']), columnOfValues('day', DATE, [1])]),
  };
  const fault = (lookup: object) =>
    traceSteps({ crease: 1, name: 'm', tables: [] }, draft, [{ from: 'fact' }, { lookup }], settingOf(tables))
      .fault?.message;
  const on = [['key', 'key']];
  expect(fault({ table: 'fact', on, columns: ['day'], valid: { at: 'key', from: 'day' } })).toMatch(
    /needs a date.*key, which is text/,
  );
  expect(fault({ table: 'fact', on, columns: ['dya'] })).toMatch(/the step lookup names the column "dya"/);
  expect(
    fault({ table: 'fact', on, columns: ['day'], newest: 'day', valid: { at: 'day', from: 'day' } }),
  ).toMatch(/not both/);
  expect(fault({ table: 'fact', on: [['', '']], columns: ['day'] })).toMatch(
    /choose the columns that must be equal/,
  );
});

/** Model data whose derived tables are worked out by their steps. */
function dataOf(model: Model, stored: Record<string, TableData>): ModelData {
  const data: ModelData = new ModelData(
    model,
    (name) => {
      const table = model.tables.find((t) => sameName(t.name, name))!;
      if (isDerived(table))
        return derivedRows(table, stepsOf(table), { today: 0, table: (read) => data.table(read) });
      return stored[fileOf(table)?.file ?? '']!;
    },
    0,
  );
  return data;
}
const verdicts = (model: Model, stored: Record<string, TableData>) => {
  const data = dataOf(model, stored);
  return Object.fromEntries(listClaims(model).map((c) => [c.id, judgeClaim(c, data).verdict]));
};

test('parents without a row of their own become members, labelled by their key', () => {
  const stored = {
    'account.csv': tableOf('account', [
      columnOfValues('account', INTEGER, [11, 12, 20]),
      columnOfValues('above', INTEGER, [10, 10, null]),
      columnOfValues('long_name', TEXT, ['Fines', 'Fees', 'Gifts']),
    ]),
  };
  const hierarchy = { name: 'Chart', table: 'account', parent: 'above', label: 'long_name' };
  const model: Model = {
    crease: 1,
    name: 'leaves',
    tables: [
      {
        name: 'account',
        role: 'dimension',
        key: ['account'],
        label: 'long_name',
        source: { file: 'account.csv' },
        columns: [
          { name: 'account', type: 'integer' },
          { name: 'above', type: 'integer' },
          { name: 'long_name', type: 'text' },
        ],
      },
    ],
    hierarchies: [hierarchy],
  };
  expect(verdicts(model, stored)['tree-parent-known:account.Chart']).toBe('broken');
  const claim = listClaims(model).find((c) => c.id === 'tree-parent-known:account.Chart')!;
  const [remedy] = claim.remedies!(judgeClaim(claim, dataOf(model, stored)));
  const mended = applyEdit(model, remedy!.edit);
  expect(verdicts(mended, stored)['tree-parent-known:account.Chart']).toBe('holds');
  const rows = dataOf(mended, stored).table('account');
  expect([valuesOf(rows, 'account'), valuesOf(rows, 'above'), valuesOf(rows, 'long_name')]).toEqual([
    [11, 12, 20, 10],
    [10, 10, null, null],
    ['Fines', 'Fees', 'Gifts', '10'],
  ]);
  // The key is of another type than the parent: there is no member to make.
  const odd = {
    ...model,
    tables: [
      {
        ...model.tables[0]!,
        columns: model.tables[0]!.columns.map((c) => (c.name === 'above' ? { ...c, type: 'text' } : c)),
      },
    ],
  };
  expect(parentsAsMembers(odd, hierarchy)).toBeUndefined();
});

test('rows of a fact refer to the version of their day, by the key of the version or by its first day', () => {
  const stored = {
    'loan.csv': tableOf('loan', [
      columnOfValues('card', TEXT, ['x', 'x', 'y']),
      columnOfValues('day', DATE, [3, 12, 12]),
    ]),
    'card.csv': tableOf('card', [
      columnOfValues('card_key', INTEGER, [1, 2, 3]),
      columnOfValues('card', TEXT, ['x', 'x', 'y']),
      columnOfValues('since', DATE, [0, 10, 0]),
      columnOfValues('until', DATE, [9, null, null]),
    ]),
  };
  const card: Table = {
    name: 'card',
    role: 'dimension',
    key: ['card_key'],
    validity: { of: ['card'], from: 'since', to: 'until' },
    source: { file: 'card.csv' },
    columns: [
      { name: 'card_key', type: 'integer' },
      { name: 'card', type: 'text' },
      { name: 'since', type: 'date' },
      { name: 'until', type: 'date' },
    ],
  };
  const loan: Table = {
    name: 'loan',
    role: 'fact',
    source: { file: 'loan.csv' },
    columns: [
      { name: 'card', type: 'text' },
      { name: 'day', type: 'date' },
    ],
  };
  const toMember = {
    name: 'loan_card',
    from: { table: 'loan', columns: ['card'] },
    to: { table: 'card', columns: ['card'] },
  };
  const model: Model = { crease: 1, name: 'versions', tables: [loan, card], relationships: [toMember] };
  expect(verdicts(model, stored)['cardinality:loan_card']).toBe('broken');
  const matched = applyEdit(
    model,
    matchVersions(model, { fact: loan, dimension: card, members: ['card'], at: 'day' })!,
  );
  expect(matched.relationships).toEqual([
    {
      name: 'loan_card',
      from: { table: 'loan', columns: ['card_key'] },
      to: { table: 'card', columns: ['card_key'] },
      cardinality: 'many-to-one',
    },
  ]);
  expect(valuesOf(dataOf(matched, stored).table('loan'), 'card_key')).toEqual([1, 2, 3]);
  expect(verdicts(matched, stored)).toMatchObject({
    'cardinality:loan_card': 'holds',
    'reference-complete:loan_card': 'holds',
  });
  expect(originsOf(matched, 'loan', 'card_key')).toEqual([
    { table: 'card', column: 'card_key', by: 'lookup' },
  ]);
  // Without a key of its own a version is known by its member and its first day.
  const bare = { ...card, key: ['card'] };
  const second = { ...model, tables: [loan, bare], relationships: [] };
  const byDay = applyEdit(
    second,
    matchVersions(second, { fact: loan, dimension: bare, members: ['card'], at: 'day' })!,
  );
  expect(byDay.relationships![0]).toMatchObject({
    from: { columns: ['card', 'card_since'] },
    to: { columns: ['card', 'since'] },
  });
  expect(verdicts(byDay, stored)).toMatchObject({
    'key-unique:card': 'holds',
    'reference-complete:loan_card': 'holds',
  });
});

test('steps are put between a table and its rows; what is said of the table stays', () => {
  const table: Table = {
    name: 'branch',
    role: 'dimension',
    key: ['id'],
    source: { file: 'b.csv' },
    columns: [
      { name: 'id', type: 'integer', sourceName: 'BRANCH ID', use: 'key' },
      { name: 'opened', type: 'date', pattern: 'dd.MM.yyyy' },
      { name: 'age', type: 'integer', formula: '2026 - extract(year from opened)' },
    ],
  };
  const model: Model = { crease: 1, name: 'm', tables: [table, { ...table, name: 'branch_rows' }] };
  const under = stepsUnder(model, table, (rows) => [
    { join: { table: rows, kind: 'left', on: [['id', 'id']], columns: [] } },
  ])!;
  expect(under.staging).toEqual({
    name: 'branch_rows_2',
    role: 'staging',
    source: { file: 'b.csv' },
    columns: [
      { name: 'id', type: 'integer', sourceName: 'BRANCH ID' },
      { name: 'opened', type: 'date', pattern: 'dd.MM.yyyy' },
    ],
  });
  expect(under.table).toMatchObject({
    name: 'branch',
    key: ['id'],
    source: { steps: [{ from: 'branch_rows_2' }, { join: { table: 'branch_rows_2' } }] },
  });
  expect(under.table.columns).toEqual([
    { name: 'id', type: 'integer', use: 'key' },
    { name: 'opened', type: 'date' },
    table.columns[2],
  ]);
  expect(
    stepsUnder(model, { ...table, source: { calendar: { from: '2026-01-01', to: '2026-12-31' } } }, []),
  ).toBeUndefined();
});
