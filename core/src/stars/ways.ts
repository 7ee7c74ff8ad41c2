import type { Model, Relationship } from '../model/index.ts';
import { cardinalityOf, endText, isDefault, ModelNames, sameName } from '../model/index.ts';
import type { Path } from '../relate/index.ts';
import { hopsOf, Reach } from '../relate/index.ts';

/** One hop of a way by which conditions on a table come to a fact's rows. */
export interface Hop {
  readonly relationship: string;
  readonly from: string;
  readonly to: string;
  readonly says: string;
}

/** How a table reaches a fact, or why it does not. */
export interface Way {
  readonly kind: 'own' | 'direct' | 'outrigger' | 'bridge' | 'many-to-many' | 'ambiguous' | 'none';
  readonly hops: readonly Hop[];
  /** Columns of the level at which they meet, where that is coarser than the table's rows. */
  readonly level?: readonly string[];
  /** With `ambiguous`: all ways; one of them must give way. */
  readonly ways?: readonly (readonly Hop[])[];
  /** What it means, in plain words; with `none` why, and what would make it reach. */
  readonly says: readonly string[];
  /** With `none`: relationships that would lead there if they were default. */
  readonly asleep?: readonly string[];
}

const hop = (r: Relationship): Hop => ({
  relationship: r.name,
  from: r.from.table,
  to: r.to.table,
  says: `${endText(r.from)} → ${endText(r.to)}${cardinalityOf(r) === 'many-to-one' ? '' : `, ${cardinalityOf(r)}`}`,
});
const hops = (path: Path): Hop[] => path.map(hop);

/** Explains the way from a fact to a table. */
export function wayTo(
  model: Model,
  fact: string,
  table: string,
  reach = new Reach(new ModelNames(model)),
): Way {
  if (sameName(fact, table)) return { kind: 'own', hops: [], says: ['its own columns'] };
  const route = reach.route(fact, table);
  if (!route) return noWay(fact, table, reach);
  if (route.kind === 'ambiguous')
    return {
      kind: 'ambiguous',
      hops: [],
      ways: route.paths.map(hops),
      says: [
        `${route.paths.length} default paths lead from ${fact} to ${table}: none is used until only one is the default`,
      ],
    };
  const path = hopsOf(route);
  const coarse = path.find((r) => cardinalityOf(r) === 'many-to-level');
  const level = coarse ? { level: coarse.to.columns } : {};
  const at = coarse
    ? [
        `they meet at ${coarse.to.columns.join(', ')}: columns of ${coarse.to.table} with one value within it apply, finer ones do not apply`,
      ]
    : [];
  if (route.kind === 'bridge')
    return {
      kind: 'bridge',
      hops: hops(path),
      ...level,
      says: [
        `over the bridge ${route.entry.from.table}: a row of ${fact} stays where at least one of its rows there does, and counts once; so the members' values may add up to more than the total`,
        ...at,
      ],
    };
  if (route.kind === 'many-to-many')
    return {
      kind: 'many-to-many',
      hops: hops(path),
      ...level,
      says: [
        `by values: a row of ${fact} stays where its value is among the remaining ones of ${route.entry.to.table}`,
        ...at,
      ],
    };
  return {
    kind: path.length > 1 ? 'outrigger' : 'direct',
    hops: hops(path),
    ...level,
    says: [
      path.length > 1
        ? `${table} is looked up over ${path
            .slice(0, -1)
            .map((r) => r.to.table)
            .join(', ')}`
        : `${table} is looked up from ${fact} by ${path[0]!.name}`,
      ...at,
    ],
  };
}

function noWay(fact: string, table: string, reach: Reach): Way {
  // One sleeping relationship at a time: what would lead there if it were default.
  const woken = (reach.names.model.relationships ?? []).filter(
    (r) => !isDefault(r) && reach.ifDefault(r).route(fact, table) !== undefined,
  );
  const turned = reach.lookup(table, fact);
  const says =
    woken.length > 0
      ? [
          `${woken.map((r) => r.name).join(' or ')} would lead there but is not default: a measure reaches along it with via`,
        ]
      : turned
        ? [
            `the path leads from ${table} to ${fact}, and filters pass only against it: ${table} has many rows for one of ${fact}`,
          ]
        : !reach.isRelated(table)
          ? [`${table} has no relationship at all`]
          : !reach.isRelated(fact)
            ? [`${fact} has no relationship at all`]
            : [`no relationship leads from ${fact}, or from what it looks up, towards ${table}`];
  return {
    kind: 'none',
    hops: [],
    says: [...says, 'side by side their values do not apply'],
    ...(woken.length > 0 ? { asleep: woken.map((r) => r.name) } : {}),
  };
}

/**
 * Tables that filters on a table reach, and by which relationships, each with its way; and facts that they do
 * not reach.
 */
export function reachedFrom(
  model: Model,
  table: string,
): { readonly ways: ReadonlyMap<string, Way>; readonly relationships: ReadonlySet<string> } {
  const reach = new Reach(new ModelNames(model));
  const ways = new Map<string, Way>();
  const relationships = new Set<string>();
  for (const t of model.tables) {
    if (sameName(t.name, table) || t.role === 'staging') continue;
    const way = wayTo(model, t.name, table, reach);
    // Of tables that are no facts only those that are reached are worth a word.
    if (way.kind === 'none' && t.role !== 'fact') continue;
    ways.set(t.name, way);
    for (const h of [...way.hops, ...(way.ways ?? []).flat()]) relationships.add(h.relationship);
  }
  return { ways, relationships };
}
