import fc from 'fast-check';
import { ModelData } from '../query/index.ts';
import type { Value } from '../values/index.ts';
import { judgeClaim, listClaims } from './index.ts';
import type { Row, Rows } from './smallWorld.ts';
import { model, tablesOf, worlds } from './smallWorld.ts';
import { expectSame } from '../../../tools/same.ts';

// Each claim about data against a judge that counts rows one by one, as the claims' page words it, on random
// small tables: random values break some claims and leave others whole, so what is planted here are flaws and
// decoys alike.

/** Rows that speak against a claim, and how many different values they have where the page says which. */
interface Naive {
  readonly against: number;
  readonly distinct?: number;
}

const keyOf = (row: Row, names: readonly string[]): string => JSON.stringify(names.map((name) => row[name]));
const whole = (row: Row, names: readonly string[]): boolean => names.every((name) => row[name] !== null);
const differ = (rows: Rows, names: readonly string[]): number =>
  new Set(rows.map((r) => keyOf(r, names))).size;
const count = (rows: Rows, names: readonly string[]): Naive => ({
  against: rows.length,
  distinct: differ(rows, names),
});
/** Rows of which another has the same whole key. */
const repeated = (rows: Rows, names: readonly string[]): Rows =>
  rows.filter(
    (r, i) => whole(r, names) && rows.some((s, j) => i !== j && keyOf(r, names) === keyOf(s, names)),
  );
/** The first row with that value. */
const partner = (rows: Rows, column: string, value: Value | undefined): Row | undefined =>
  value === null ? undefined : rows.find((r) => r[column] === value);

/**
 * Rows of the members of a level with more than one parent; a member is told by `own`, its parent by `above`.
 */
function torn(rows: Rows, own: (row: Row) => Value[], above: (row: Row) => Value[]): Naive {
  const filled = (values: Value[]) => values.every((v) => v !== null);
  const bad = rows.filter((r) => {
    if (!filled(own(r))) return false;
    const same = rows.filter((s) => JSON.stringify(own(s)) === JSON.stringify(own(r)) && filled(above(s)));
    return new Set(same.map((s) => JSON.stringify(above(s)))).size > 1;
  });
  return { against: bad.length, distinct: new Set(bad.map((r) => JSON.stringify(own(r)))).size };
}

/** Every judgement of the model, row by row. */
function naive(world: Record<string, Rows>): Record<string, Naive> {
  const { area, place, day, card, wrote, visit } = world as Record<
    'area' | 'place' | 'day' | 'card' | 'wrote' | 'visit',
    Rows
  >;
  const found: Record<string, Naive> = {};
  for (const t of model.tables) {
    const rows = world[t.name]!;
    found[`key-unique:${t.name}`] = count(repeated(rows, t.key!), t.key!);
    const empty = rows.filter((r) => !whole(r, t.key!));
    found[`key-filled:${t.name}`] = count(empty, t.key!);
    for (const c of t.columns) found[`type-holds:${t.name}.${c.name}`] = { against: 0 };
  }
  for (const r of model.relationships!) {
    const [rows, others] = [world[r.from.table]!, world[r.to.table]!];
    const asTheirs = (row: Row) => JSON.stringify(r.from.columns.map((name) => row[name]));
    const orphans = rows.filter(
      (row) => whole(row, r.from.columns) && !others.some((o) => keyOf(o, r.to.columns) === asTheirs(row)),
    );
    found[`reference-complete:${r.name}`] = count(orphans, r.from.columns);
    found[`reference-filled:${r.name}`] = {
      against: rows.filter((row) => !whole(row, r.from.columns)).length,
    };
    const toMany = repeated(others, r.to.columns).length;
    const fromMany = r.cardinality === 'one-to-one' ? repeated(rows, r.from.columns).length : 0;
    found[`cardinality:${r.name}`] = { against: toMany + fromMany };
    found[`reference-type:${r.name}`] = { against: 0 };
  }
  const labels = place.filter(
    (r) => r.label !== null && new Set(place.filter((s) => s.label === r.label).map((s) => s.id)).size > 1,
  );
  found['label-unique:place.label'] = count(labels, ['label']);
  const zone = (r: Row): Value => partner(area, 'id', r.area_id)?.zone ?? null;
  found['level-single-parent:place.Geography.Region'] = torn(
    place,
    (r) => [r.region!],
    (r) => [zone(r)],
  );
  found['level-single-parent:place.Geography.Town'] = torn(
    place,
    (r) => [r.region!, r.town!],
    (r) => [r.region!],
  );
  found['level-single-parent:place.Geography.Place'] = torn(
    place,
    (r) => [r.id!],
    (r) => [r.region!, r.town!],
  );
  found['level-filled:place.Geography.Zone'] = { against: place.filter((r) => zone(r) === null).length };
  found['level-filled:place.Geography.Region'] = { against: place.filter((r) => r.region === null).length };
  found['level-filled:place.Geography.Town'] = { against: place.filter((r) => r.town === null).length };
  found['level-filled:place.Geography.Place'] = { against: place.filter((r) => r.label === null).length };
  const up = (r: Row | undefined): Row | undefined => r && partner(place, 'id', r.above);
  const loops = place.filter((r) => {
    let at: Row | undefined = r;
    for (let n = 0; n <= place.length; n++) at = up(at);
    return at !== undefined;
  });
  found['tree-acyclic:place.Report'] = count(loops, ['id', 'above']);
  found['tree-parent-known:place.Report'] = count(
    place.filter((r) => r.above !== null && !partner(place, 'id', r.above)),
    ['above'],
  );
  found['tree-label-unique:place.Report'] = { against: labels.length };
  const known = day.map((r) => r.day as number | null).filter((d) => d !== null);
  const [first, last] = [Math.min(...known), Math.max(...known)];
  const missing = known.length === 0 ? 0 : last - first + 1 - new Set(known).size;
  const twice = day.filter((r) => r.day !== null && known.filter((d) => d === r.day).length > 1);
  found['calendar-continuous:day'] = {
    against: missing + twice.length,
    distinct: missing + differ(twice, ['day']),
  };
  const outside = visit.filter(
    (r) =>
      r.on_day !== null &&
      ((r.on_day as number) < first || (r.on_day as number) > last || known.length === 0),
  );
  found['calendar-covers:visit_day'] = count(outside, ['on_day']);
  found['partition-covers:visit'] = { against: visit.filter((r) => r.on_day === null).length };
  const wrong = wrote.filter((r) => {
    const group = wrote.filter((s) => s.title === r.title);
    return group.reduce((sum, s) => sum + Number(s.share ?? 0), 0) !== 100;
  });
  found['bridge-weights:wrote'] = count(wrong, ['title']);
  const begins = (r: Row) => (r.since as number | null) ?? -Infinity;
  const ends = (r: Row) => (r.till as number | null) ?? Infinity;
  const clash = card.filter((r, i) =>
    card.some(
      (s, j) =>
        i !== j && r.no !== null && r.no === s.no && meets([begins(r), ends(r)], [begins(s), ends(s)]),
    ),
  );
  if (clash.length > 0) found['validity-disjoint:card'] = { against: clash.length };
  return found;
}

/**
 * Whether two stretches of days share one; a stretch that ends before it begins still stands on its first
 * day.
 */
const meets = (a: [number, number], b: [number, number]): boolean => {
  const [p, q] = a[0] < b[0] || (a[0] === b[0] && a[1] <= b[1]) ? [a, b] : [b, a];
  return p[1] >= q[0];
};

test('claims about data are judged as by counting row by row', () => {
  const [broken, held, unchecked] = [new Set<string>(), new Set<string>(), new Set<string>()];
  fc.assert(
    fc.property(worlds, (world) => {
      const tables = tablesOf(model, world);
      const data = new ModelData(model, (name) => tables.get(name)!, 0);
      const expected = naive(world);
      const judged = new Map(listClaims(model).map((claim) => [claim.id, judgeClaim(claim, data)]));
      // Whatever was found before, also by other claims: the same again.
      for (const claim of listClaims(model)) expectSame(judgeClaim(claim, data), judged.get(claim.id));
      for (const [id, { against, distinct }] of Object.entries(expected)) {
        const judgement = judged.get(id);
        if (judgement?.verdict === 'unchecked') {
          const { reason } = judgement.evidence;
          // Over no rows nothing is judged, nor on a key that stands twice.
          if (reason?.code === 'empty') expect([id, against]).toEqual([id, 0]);
          else expect([id, expected[reason!.claim!]?.against]).not.toEqual([id, 0]);
          unchecked.add(reason!.code);
          continue;
        }
        if (judgement?.certain) {
          // Certain whatever row a repeated key leads to: no more than is found by taking the first, but for
          // rows that are their own parent.
          if (!id.startsWith('tree-')) expect(judgement.evidence.against).toBeLessThanOrEqual(against);
          continue;
        }
        const seen = {
          id,
          verdict: judgement?.verdict,
          against: judgement?.evidence.against,
          ...(distinct === undefined || against === 0 ? {} : { distinct: judgement?.evidence.distinct }),
        };
        expectSame(seen, {
          id,
          verdict: against > 0 ? 'broken' : 'holds',
          against,
          ...(distinct === undefined || against === 0 ? {} : { distinct }),
        });
        (against > 0 ? broken : held).add(id);
      }
      // Nothing else is broken that stops a release.
      for (const [id, { verdict, weight }] of judged)
        if (!(id in expected) && weight !== 'warns' && !id.startsWith('validity-disjoint'))
          expect(verdict === 'unchecked' ? [id, 'holds'] : [id, verdict]).toEqual([id, 'holds']);
    }),
    { numRuns: 200 },
  );
  expect([...unchecked].sort()).toEqual(['empty', 'rests-on']);
  // The test can fail both ways: each claim was seen broken, and seen to hold. A town is told within its
  // region, so it cannot lie in two; nor can a place, but for a key that stands twice.
  const data = [...held].filter((id) => !/^(type-holds|reference-type)|Geography\.(Town|Place)$/.test(id));
  expect(data.filter((id) => !broken.has(id))).toEqual([]);
  expect([...broken].filter((id) => !held.has(id) && !id.startsWith('validity-disjoint'))).toEqual([]);
});
