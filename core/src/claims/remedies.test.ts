import type { TableData } from '../columns/index.ts';
import { columnOfValues, columnValues, tableOf } from '../columns/index.ts';
import { applyEdit } from '../edit/index.ts';
import { claimsCsv, claimsSarif } from '../interchange/index.ts';
import type { Model, Table } from '../model/index.ts';
import { writeModel, fileOf } from '../model/index.ts';
import { DataError, ModelData } from '../query/index.ts';
import type { Value } from '../values/index.ts';
import { DATE, parseType, textReader } from '../values/index.ts';
import type { Remedy } from './index.ts';
import { judgeClaim, listClaims, judgeModel, remediesOf } from './index.ts';
import { tableLoader } from '../sources/index.ts';

type Cells = Readonly<Record<string, readonly [type: string, values: readonly Value[]]>>;
const day = (text: string | null): Value => (text === null ? null : textReader(DATE)(text)!);

/** A table of a model with its rows. */
interface Made {
  readonly table: Table;
  readonly rows: TableData;
}
const made = (name: string, role: Table['role'], cells: Cells, rest: Partial<Table> = {}): Made => ({
  table: {
    name,
    role,
    source: { file: `${name}.csv` },
    ...rest,
    columns: [
      ...Object.entries(cells).map(([column, [type]]) => ({ name: column, type })),
      ...(rest.columns ?? []),
    ],
  },
  rows: tableOf(
    name,
    Object.entries(cells).map(([column, [type, values]]) =>
      columnOfValues(column, parseType(type)!, [...values]),
    ),
    { lineOf: (row) => row + 2 },
  ),
});
function world(tables: readonly Made[], rest: Partial<Model> = {}) {
  const model: Model = { crease: 1, name: 'm', tables: tables.map((t) => t.table), ...rest };
  const rows = new Map(tables.map((t) => [`${t.table.name}.csv`, t.rows]));
  const data = (of: Model): ModelData =>
    new ModelData(
      of,
      tableLoader(of, 0, (table) => {
        const found = rows.get(fileOf(table)?.file ?? '');
        if (!found) throw new DataError(`no rows of ${table.name}`);
        return { ...found, name: table.name };
      }),
      0,
    );
  return { model, data };
}

/**
 * Judges a claim, applies a remedy of it, and judges all claims again: it holds, and nothing that stops a
 * release is broken that was not.
 */
function mended(
  of: ReturnType<typeof world>,
  id: string,
  remedyId: string,
): { model: Model; data: ModelData; remedy: Remedy } {
  const blocking = (model: Model) => {
    const data = of.data(model);
    return listClaims(model, data.checker).flatMap((c) => {
      const { verdict, weight } = judgeClaim(c, data);
      return verdict !== 'holds' && (weight ?? c.weight) === 'blocks' ? [c.id] : [];
    });
  };
  const before = of.data(of.model);
  const claim = listClaims(of.model, before.checker).find((c) => c.id === id)!;
  const judgement = judgeClaim(claim, before);
  expect([id, judgement.verdict]).toEqual([id, 'broken']);
  const remedies = claim.remedies!(judgement, before);
  const remedy = remedies.find((r) => r.id === remedyId);
  expect(remedies.map((r) => r.id)).toContain(remedyId);
  const model = applyEdit(of.model, remedy!.edit);
  const data = of.data(model);
  const again = listClaims(model, data.checker).find((c) => c.id === id);
  expect([remedyId, again ? judgeClaim(again, data).verdict : 'gone']).toEqual([
    remedyId,
    again ? 'holds' : 'gone',
  ]);
  expect(blocking(model).filter((c) => !blocking(of.model).includes(c))).toEqual([]);
  return { model, data, remedy: remedy! };
}

const integers = (...values: Value[]) => ['integer', values] as const;
const texts = (...values: Value[]) => ['text', values] as const;
const dates = (...values: (string | null)[]) => ['date', values.map(day)] as const;
const valuesOf = (data: ModelData, table: string, column: string): Value[] => {
  const found = data.column(table, column);
  return Array.from(found.codes, (code) => columnValues(found)[code]!);
};

test('a moment that refers to a day leads there by its own day, and no calendar becomes one of moments', () => {
  const at = (text: string) => textReader(parseType('timestamp')!)(text)!;
  const of = world(
    [
      made('scan', 'fact', {
        scanned_at: ['timestamp', [at('2026-01-01 10:00:00'), at('2026-01-02 23:59:59')]],
      }),
      made('days', 'dimension', { day: dates('2026-01-01', '2026-01-02') }, { key: ['day'] }),
    ],
    {
      relationships: [
        {
          name: 'scan_day',
          from: { table: 'scan', columns: ['scanned_at'] },
          to: { table: 'days', columns: ['day'] },
        },
      ],
    },
  );
  const { model, data } = mended(of, 'reference-type:scan_day', 'day-of-scan-scanned_at');
  expect(model.relationships![0]!.from.columns).toEqual(['scanned_day']);
  expect(valuesOf(data, 'scan', 'scanned_day')).toEqual([day('2026-01-01'), day('2026-01-02')]);
  const before = of.data(of.model);
  const claim = listClaims(of.model, before.checker).find((c) => c.id === 'reference-type:scan_day')!;
  expect(claim.remedies!(judgeClaim(claim, before), before)).toHaveLength(1);
});

test('a key that stands twice: one more column, where it is enough, or each row once, where rows are copies', () => {
  const wide = world([
    made(
      't',
      'fact',
      { no: integers(1, 1, 2), line: integers(1, 2, 1), other: integers(5, 5, 5) },
      { key: ['no'] },
    ),
  ]);
  expect(mended(wide, 'key-unique:t', 'widen-key-line').model.tables[0]!.key).toEqual(['no', 'line']);
  const claim = listClaims(wide.model).find((c) => c.id === 'key-unique:t')!;
  const data = wide.data(wide.model);
  // A column that is not enough is not offered, nor are rows taken once that differ.
  expect(claim.remedies!(judgeClaim(claim, data), data).map((r) => r.id)).toEqual(['widen-key-line']);
  const copies = world([
    made('t', 'dimension', { no: integers(1, 1, 2), name: texts('a', 'a', 'b') }, { key: ['no'] }),
  ]);
  expect(valuesOf(mended(copies, 'key-unique:t', 'take-distinct').data, 't', 'no')).toEqual([1, 2]);
});

test('rows without a key are left out', () => {
  const { data } = mended(
    world([made('t', 'dimension', { no: integers(1, null, 2) }, { key: ['no'] })]),
    'key-filled:t',
    'leave-out-keyless',
  );
  expect(valuesOf(data, 't', 'no')).toEqual([1, 2]);
});

test('values without a partner get a member each, which says so; ends that look turned can be swapped', () => {
  const of = world(
    [
      made('loan', 'fact', { branch: integers(1, 7, 7, 9, null) }),
      made(
        'branch',
        'dimension',
        { id: integers(1, 2), name: texts('Ash', 'Elm') },
        { key: ['id'], label: 'name' },
      ),
    ],
    {
      relationships: [
        {
          name: 'loan_branch',
          from: { table: 'loan', columns: ['branch'] },
          to: { table: 'branch', columns: ['id'] },
        },
      ],
    },
  );
  const { data } = mended(of, 'reference-complete:loan_branch', 'add-unmatched-member');
  expect([valuesOf(data, 'branch', 'id'), valuesOf(data, 'branch', 'name')]).toEqual([
    [1, 2, 7, 9],
    ['Ash', 'Elm', 'unmatched 7', 'unmatched 9'],
  ]);
  const turned = world(
    [
      made('branch', 'dimension', { id: integers(1, 2, 3) }, { key: ['id'] }),
      made('loan', 'fact', { branch: integers(1, 1, 2) }),
    ],
    {
      relationships: [
        { name: 'r', from: { table: 'branch', columns: ['id'] }, to: { table: 'loan', columns: ['branch'] } },
      ],
    },
  );
  expect(mended(turned, 'reference-complete:r', 'swap-ends').model.relationships![0]!.from.table).toBe(
    'loan',
  );
});

test('labels of several members are shown with their key', () => {
  const of = world([
    made(
      't',
      'dimension',
      { no: integers(1, 2, 3), name: texts('a', 'a', null) },
      { key: ['no'], label: 'name' },
    ),
  ]);
  expect(valuesOf(mended(of, 'label-unique:t.name', 'label-with-key').data, 't', 'name_and_key')).toEqual([
    'a (1)',
    'a (2)',
    null,
  ]);
});

test('ragged levels show the member above', () => {
  const levels = [
    { name: 'Region', column: 'region' },
    { name: 'Town', column: 'town' },
  ];
  const of = world([made('t', 'dimension', { region: texts('N', 'S'), town: texts('Ash', null) })], {
    hierarchies: [{ name: 'H', table: 't', levels }],
  });
  expect(valuesOf(mended(of, 'level-filled:t.H.Town', 'fill-from-above').data, 't', 'town_filled')).toEqual([
    'Ash',
    'S',
  ]);
});

test('members that are their own parent become tops; other loops are not touched', () => {
  const tree = (parents: Value[]) =>
    world([made('t', 'dimension', { id: integers(1, 2, 3), up: integers(...parents) }, { key: ['id'] })], {
      hierarchies: [{ name: 'H', table: 't', parent: 'up' }],
    });
  expect(
    mended(tree([1, 1, 2]), 'tree-acyclic:t.H', 'own-parents-are-tops').model.hierarchies![0]!.parent,
  ).toBe('up_but_self');
  const round = tree([2, 1, 3]);
  const claim = listClaims(round.model).find((c) => c.id === 'tree-acyclic:t.H')!;
  expect(claim.remedies!(judgeClaim(claim, round.data(round.model)), round.data(round.model))).toEqual([]);
});

test('days that a calendar lacks are generated, and a calendar is extended to the days of its facts', () => {
  const calendar = made(
    'calendar',
    'dimension',
    {
      day: dates('2026-07-01', '2026-07-04'),
      month: integers(7, 7),
      fiscal_year: integers(2027, 2027),
      holiday: texts('Founders', null),
    },
    { key: ['day'] },
  );
  const gaps = world([calendar], {
    calendars: [{ table: 'calendar', day: 'day', fiscalYear: { firstMonth: 7, namedBy: 'end' } }],
  });
  const { data } = mended(gaps, 'calendar-continuous:calendar', 'add-missing-days');
  expect(['month', 'fiscal_year', 'holiday'].map((name) => valuesOf(data, 'calendar', name))).toEqual([
    [7, 7, 7, 7],
    [2027, 2027, 2027, 2027],
    ['Founders', null, null, null],
  ]);
  // What follows another model's calendar is mended there.
  const following = { ...gaps.model.calendars![0]!, follows: { model: 'other', table: 'calendar' } };
  for (const calendars of [gaps.model.calendars!, [following]]) {
    const of = gaps.data({ ...gaps.model, calendars });
    const claim = listClaims(of.model, of.checker).find((c) => c.id === 'calendar-continuous:calendar')!;
    expect(remediesOf(claim, judgeClaim(claim, of), of)).toHaveLength(calendars[0] === following ? 0 : 1);
  }
  const late = world(
    [
      made('visit', 'fact', { on: dates('2025-12-30', '2026-01-04') }),
      made(
        'calendar',
        'dimension',
        {},
        {
          key: ['day'],
          source: { calendar: { from: '2026-01-01', to: '2026-01-31' } },
          columns: [{ name: 'day', type: 'date' }],
        },
      ),
    ],
    {
      calendars: [{ table: 'calendar', day: 'day' }],
      relationships: [
        {
          name: 'visit_day',
          from: { table: 'visit', columns: ['on'] },
          to: { table: 'calendar', columns: ['day'] },
        },
      ],
    },
  );
  expect(mended(late, 'calendar-covers:visit_day', 'extend-calendar').model.tables[1]!.source).toEqual({
    calendar: { from: '2025-01-01', to: '2026-12-31' },
  });
});

test('a sum over two facts takes a missing side as nothing, a perspective is closed, an answer taken', () => {
  const facts = [
    made('a', 'fact', { n: integers(1, 2), d: integers(1, 1) }),
    made('b', 'fact', { n: integers(3) }),
  ];
  const sum = world(facts, { measures: [{ name: 'Both', formula: 'sum(a.n) + sum(b.n) -- together' }] });
  expect(mended(sum, 'missing-side:Both', 'coalesce-sides').model.measures![0]!.formula).toBe(
    'coalesce(sum(a.n), 0) + coalesce(sum(b.n), 0) -- together',
  );
  const shown = world(
    [...facts, made('d', 'dimension', { id: integers(1), name: texts('x') }, { key: ['id'] })],
    {
      measures: [
        { name: 'A', formula: 'sum(a.n)' },
        { name: 'B', formula: 'sum(b.n)' },
      ],
      relationships: [
        { name: 'a_d', from: { table: 'a', columns: ['d'] }, to: { table: 'd', columns: ['id'] } },
      ],
      hierarchies: [{ name: 'H', table: 'd', levels: [{ name: 'Name', column: 'name' }] }],
      perspectives: [
        {
          name: 'P',
          tables: ['nothing'],
          columns: ['d.id'],
          hierarchies: ['d.H'],
          measures: ['A', 'B', 'C'],
        },
      ],
    },
  );
  expect(mended(shown, 'perspective-closed:P', 'close-perspective').model.perspectives).toEqual([
    { name: 'P', tables: [], columns: ['d.id', 'd.name'], hierarchies: ['d.H'], measures: ['A'] },
  ]);
  const answer = world(facts, {
    measures: [{ name: 'A', formula: 'sum(a.n)' }],
    knownAnswers: [{ name: 'all', query: { measures: ['A'] }, rows: [[4]] }],
  });
  expect(mended(answer, 'known-answer:all', 'take-answer').model.knownAnswers![0]!.rows).toEqual([[3]]);
});

test('what does not hold is written for spreadsheets and for pipelines', () => {
  const { model, data } = world(
    [
      made('loan', 'fact', { no: integers(1, 1), branch: integers(1, 7) }, { key: ['no'] }),
      made('branch', 'dimension', { id: integers(1) }, { key: ['id'] }),
    ],
    {
      relationships: [
        {
          name: 'loan_branch',
          from: { table: 'loan', columns: ['branch'] },
          to: { table: 'branch', columns: ['id'] },
        },
      ],
      waivers: [
        { claim: 'key-unique:loan', reason: 'agreed, for now', author: 'a modeler', until: '2027-01-01' },
      ],
    },
  );
  const of = data(model);
  const claims = judgeModel(model, of, '2026-11-23');
  const csv = claimsCsv(claims).trimEnd().split('\n');
  expect(csv).toHaveLength(claims.length + 1);
  expect(csv.find((line) => line.startsWith('reference-complete'))).toBe(
    'reference-complete:loan_branch,reference-complete,loan_branch,broken,blocks,2,1,1,every loan.branch is a branch.id,branch 7,,,',
  );
  expect(csv.find((line) => line.startsWith('key-unique:loan'))).toMatch(
    /,waived,.*"agreed, for now",a modeler,2027-01-01$/,
  );
  const text = writeModel(model);
  const log = JSON.parse(claimsSarif(claims, { model, file: 'models/my model.crease.json', text })) as {
    version: string;
    runs: { tool: { driver: { rules: { id: string }[] } }; results: Record<string, never>[] }[];
  };
  expect(log.version).toBe('2.1.0');
  const [{ tool, results }] = log.runs as [(typeof log.runs)[0]];
  expect(results.map((r) => r.ruleId)).toEqual(['key-unique', 'reference-complete']);
  const orphans = results[1] as unknown as {
    ruleIndex: number;
    level: string;
    message: { text: string };
    locations: { physicalLocation: { artifactLocation: { uri: string }; region: { startLine: number } } }[];
    relatedLocations: { physicalLocation: object }[];
  };
  expect(tool.driver.rules[orphans.ruleIndex]!.id).toBe('reference-complete');
  expect([orphans.level, orphans.message.text]).toEqual([
    'error',
    '1 of 2 rows of loan has a branch without a partner in branch. First: branch 7.',
  ]);
  expect(orphans.locations[0]!.physicalLocation.artifactLocation.uri).toBe('models/my%20model.crease.json');
  expect(text.split('\n')[orphans.locations[0]!.physicalLocation.region.startLine - 1]).toContain(
    '"loan_branch"',
  );
  expect(orphans.relatedLocations).toEqual([
    { id: 1, physicalLocation: { artifactLocation: { uri: 'loan.csv' }, region: { startLine: 3 } } },
  ]);
  expect((results[0] as unknown as { suppressions: object[] }).suppressions).toEqual([
    {
      kind: 'external',
      status: 'accepted',
      justification: 'agreed, for now, by a modeler, until 2027-01-01',
    },
  ]);
});
