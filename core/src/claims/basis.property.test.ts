import fc from 'fast-check';
import type { TableData } from '../columns/index.ts';
import type { Edit } from '../edit/index.ts';
import { applyEdit, EditError } from '../edit/index.ts';
import { FormulaChecker } from '../formula/index.ts';
import type { Model } from '../model/index.ts';
import { ModelData } from '../query/index.ts';
import { tableLoader } from '../sources/index.ts';
import { DependencyDigest, judgeClaim, listClaims } from './index.ts';
import { CLAIM_KINDS } from './kinds/index.ts';
import type { Rows } from './smallWorld.ts';
import { model as plain, relate, table, tablesOf, worlds } from './smallWorld.ts';
import { cases } from '../../../tools/cases.ts';

// What a verdict rests on is declared by its claim. Were something left out, a verdict would go stale without
// a word: so whatever changes, a claim that is judged otherwise than before must rest on something else than
// before.

/** The small model with what it lacks: derived columns, a derived table, measures, known answers. */
const model: Model = {
  ...plain,
  tables: [
    ...plain.tables.map((t) =>
      t.name === 'visit'
        ? {
            ...t,
            label: 'zone_seen',
            columns: [
              ...t.columns.map((c) => (c.name === 'people' ? { ...c, use: 'quantity' as const } : c)),
              { name: 'zone_seen', type: 'text', formula: 'area.zone' },
            ],
          }
        : t,
    ),
    {
      ...table('area', 'dimension', {}),
      name: 'busy',
      key: ['place_id'],
      label: 'place_id',
      source: {
        steps: [
          { from: 'visit' },
          { lookup: { table: 'place', on: [['place_id', 'id']], columns: ['town'] } },
          { aggregate: { by: ['place_id'], columns: { people: 'sum(people)' } } },
        ],
      },
      columns: [
        { name: 'place_id', type: 'integer' },
        { name: 'people', type: 'integer' },
      ],
    },
  ],
  relationships: [...plain.relationships!, relate('place_busy', ['place', 'id'], ['busy', 'place_id'])],
  measures: [
    { name: 'People', formula: 'sum(visit.people)' },
    { name: 'People in a', table: 'visit', formula: `"People" where place.region = 'a'` },
  ],
  knownAnswers: [{ name: 'all', query: { measures: ['People in a'] }, rows: [[5]] }],
};

const columnsOf = (name: string) => model.tables.find((t) => t.name === name)!.columns.map((c) => c.name);
const someColumns = (name: string) =>
  fc.uniqueArray(fc.constantFrom(...columnsOf(name)), { minLength: 1, maxLength: 2 });
const tableName = fc.constantFrom(...model.tables.map((t) => t.name));
const ofTable = <T>(make: (name: string) => fc.Arbitrary<T>): fc.Arbitrary<T> => tableName.chain(make);
const edits: fc.Arbitrary<Edit> = fc.oneof(
  ofTable((name) =>
    someColumns(name).map((key): Edit => [{ do: 'set-table', table: name, change: { key } }]),
  ),
  ofTable((name) =>
    fc
      .constantFrom(...columnsOf(name))
      .map((label): Edit => [{ do: 'set-table', table: name, change: { label } }]),
  ),
  ofTable((name) =>
    fc
      .record({
        column: fc.constantFrom(...columnsOf(name)),
        type: fc.constantFrom('text', 'integer', 'double'),
      })
      .map(({ column, type }): Edit => [{ do: 'set-column', table: name, column, change: { type } }]),
  ),
  ofTable((name) =>
    fc
      .record({
        column: fc.constantFrom(...columnsOf(name)),
        use: fc.constantFrom('quantity' as const, 'attribute' as const, 'key' as const),
        aggregate: fc.constantFrom('sum' as const, 'distinct' as const),
      })
      .map(({ column, ...change }): Edit => [{ do: 'set-column', table: name, column, change }]),
  ),
  fc
    .record({
      name: fc.constantFrom(...model.relationships!.map((r) => r.name)),
      change: fc.record(
        {
          cardinality: fc.constantFrom(
            'many-to-one' as const,
            'one-to-one' as const,
            'many-to-many' as const,
          ),
          default: fc.boolean(),
        },
        { requiredKeys: [] },
      ),
    })
    .map((edit): Edit => [{ do: 'set-relationship', ...edit }]),
  fc.constantFrom('place_id', 'people', 'line', 'no').map((column): Edit => [
    {
      do: 'set-relationship',
      name: 'visit_place',
      change: { from: { table: 'visit', columns: [column] } },
    },
  ]),
  fc
    .constantFrom(
      'place.town',
      'area.zone',
      'place.above + 1',
      'sum(visit.people)',
      "case when no > 2 then 'x' end",
    )
    .map((formula): Edit => [{ do: 'set-column', table: 'visit', column: 'zone_seen', change: { formula } }]),
  fc
    .constantFrom('sum(visit.people)', 'count(visit)', 'max(visit.line)')
    .map((formula): Edit => [{ do: 'put-measures', name: 'People', value: { name: 'People', formula } }]),
  fc.constantFrom('town', 'region', 'label').map((column): Edit => [
    {
      do: 'put-hierarchies',
      name: 'place.Geography',
      value: {
        name: 'Geography',
        table: 'place',
        levels: [
          { name: 'Zone', column: 'area.zone' },
          { name: 'Own', column },
          { name: 'Place', column: 'label', key: 'id' },
        ],
      },
    },
  ]),
  fc.constantFrom('above', 'area_id').map((parent): Edit => [
    {
      do: 'put-hierarchies',
      name: 'place.Report',
      value: { name: 'Report', table: 'place', parent, label: 'town' },
    },
  ]),
  fc
    .constantFrom('since', 'till')
    .map((to): Edit => [
      { do: 'set-table', table: 'card', change: { validity: { of: ['no'], from: 'since', to } } },
    ]),
  fc
    .constantFrom('author', 'title')
    .map((per): Edit => [
      { do: 'set-table', table: 'wrote', change: { weight: { column: 'share', per: [per] } } },
    ]),
  fc.constant<Edit>([{ do: 'put-calendar', value: { table: 'card', day: 'since' } }]),
  fc.constant<Edit>([{ do: 'remove-calendar', table: 'day' }]),
  fc.constantFrom('people > 1', 'place_id > 2').map((filter): Edit => [
    {
      do: 'set-table',
      table: 'busy',
      change: {
        source: {
          steps: [
            { from: 'visit' },
            { filter },
            { aggregate: { by: ['place_id'], columns: { people: 'sum(people)' } } },
          ],
        },
      },
    },
  ]),
);

interface State {
  readonly model: Model;
  readonly rows: ReadonlyMap<string, TableData>;
  readonly versions: Readonly<Record<string, number>>;
}
interface Verdict {
  readonly basis: string;
  readonly judgement: string;
  readonly kind: string;
}

function verdictsOf({ model: of, rows, versions }: State): Map<string, Verdict> {
  const data = new ModelData(
    of,
    tableLoader(of, 0, (t) => rows.get(t.name)!),
    0,
  );
  const digest = new DependencyDigest(
    of,
    new FormulaChecker(of),
    (t) => String(versions[t.name] ?? 0),
    (s) => s,
  );
  return new Map(
    listClaims(of)
      // A claim without tables is about the model alone and judged each time.
      .filter((claim) => claim.tables.length > 0)
      .map((claim) => [
        claim.id,
        { kind: claim.kind, basis: digest.of(claim), judgement: JSON.stringify(judgeClaim(claim, data)) },
      ]),
  );
}

test('a claim that is judged otherwise rests on something else: of every kind', () => {
  const changed = new Set<string>();
  const compare = (before: State, after: State) => {
    const now = verdictsOf(after);
    for (const [id, was] of verdictsOf(before)) {
      const found = now.get(id);
      if (!found || found.judgement === was.judgement) continue;
      changed.add(found.kind);
      expect({ id, was: was.judgement, now: found.judgement, same: found.basis === was.basis }).toEqual({
        id,
        was: was.judgement,
        now: found.judgement,
        same: false,
      });
    }
  };
  fc.assert(
    fc.property(
      worlds,
      worlds,
      fc.constantFrom('area', 'place', 'day', 'card', 'wrote', 'visit'),
      edits,
      (world, other, table, edit) => {
        const start: State = { model, rows: tablesOf(model, world), versions: {} };
        const otherRows: Record<string, Rows> = { ...world, [table]: other[table]! };
        compare(start, { model, rows: tablesOf(model, otherRows), versions: { [table]: 1 } });
        let edited: Model;
        try {
          edited = applyEdit(model, edit);
        } catch (error) {
          if (error instanceof EditError) return;
          throw error;
        }
        compare(start, { ...start, model: edited });
      },
    ),
    { numRuns: cases(200), seed: 5 },
  );
  const aboutRows = new Set(listClaims(model).flatMap((c) => (c.tables.length > 0 ? [c.kind] : [])));
  // Types never change by rows of other values of the same type, nor does a file here leave lines out.
  for (const kind of ['type-holds', 'file-read', 'reference-type']) aboutRows.delete(kind);
  expect([...aboutRows].filter((kind) => !changed.has(kind))).toEqual([]);
  expect(CLAIM_KINDS.map((k) => k.kind)).toEqual(expect.arrayContaining([...changed]));
});
