import type { ModelNames, Relationship, Table } from '../model/index.ts';
import { cardinalityOf, isDefault, sameName } from '../model/index.ts';

/**
 * A chain of relationships, each looked up from the table that the one before leads to. Empty: the table
 * itself.
 */
export type Path = readonly Relationship[];

/**
 * How conditions on a table come to the rows of a base table (see "Context and reach" of the formula
 * language).
 */
export type Route =
  | { readonly kind: 'lookup'; readonly path: Path }
  /**
   * Bridge rows refer by `entry` to the table at the end of `anchor`; from the bridge, `path` leads on to the
   * table.
   */
  | { readonly kind: 'bridge'; readonly entry: Relationship; readonly anchor: Path; readonly path: Path }
  /**
   * Values at the `from` end (at the end of `anchor`) meet rows of the `to` end; from there, `path` leads on.
   */
  | {
      readonly kind: 'many-to-many';
      readonly entry: Relationship;
      readonly anchor: Path;
      readonly path: Path;
    }
  | { readonly kind: 'ambiguous'; readonly paths: readonly Path[] };

/** All relationships of a route, from the base table on. */
export const hopsOf = (route: Exclude<Route, { kind: 'ambiguous' }>): Path =>
  'entry' in route ? [...route.anchor, route.entry, ...route.path] : route.path;

/**
 * Relationships of `via` (lower-case names) that replace the default ways; of two that lead to one table the
 * later one is taken.
 */
export type Via = readonly string[];

const key = (table: string): string => table.toLowerCase();
/** A cap on the paths that are followed from one table: a model with more is ambiguous in any case. */
const MOST_PATHS = 4;

/** Ways between tables of one model, worked out on demand and kept. Model only: no data. */
export class Reach {
  private readonly outgoing = new Map<string, Relationship[]>();
  /** Tables at either end of a relationship. */
  private readonly related = new Set<string>();
  private readonly byValues: Relationship[] = [];
  private readonly bridgeTables: Table[];
  private readonly lookupCache = new Map<string, Map<string, Path[]>>();
  private readonly routeCache = new Map<string, Route | undefined>();
  private readonly others = new Map<Relationship, Reach>();

  /** `woken` is followed as if it were default. */
  constructor(
    readonly names: ModelNames,
    private readonly woken?: Relationship,
  ) {
    for (const relationship of names.model.relationships ?? []) {
      const [from, to] = [key(relationship.from.table), key(relationship.to.table)];
      const others = this.outgoing.get(from);
      if (others) others.push(relationship);
      else this.outgoing.set(from, [relationship]);
      this.related.add(from).add(to);
      if (cardinalityOf(relationship) === 'many-to-many') this.byValues.push(relationship);
    }
    this.bridgeTables = names.model.tables.filter((t) => t.role === 'bridge');
  }

  /** The ways that there would be if a relationship were default. */
  ifDefault(relationship: Relationship): Reach {
    const found = this.others.get(relationship) ?? new Reach(this.names, relationship);
    this.others.set(relationship, found);
    return found;
  }

  /** Whether a table is at either end of a relationship. */
  isRelated(table: string): boolean {
    return this.related.has(key(table));
  }

  private isFollowed(relationship: Relationship): boolean {
    return relationship === this.woken || isDefault(relationship);
  }

  /** The route by which conditions on `table` reach rows of `base`; undefined where there is none. */
  route(base: string, table: string, via: Via = []): Route | undefined {
    const cacheKey = `${key(base)}\n${key(table)}\n${via.join('\n')}`;
    if (!this.routeCache.has(cacheKey)) this.routeCache.set(cacheKey, this.find(base, table, via));
    return this.routeCache.get(cacheKey);
  }

  /** The path by which `table` is looked up from `base`, where there is exactly one. */
  lookup(base: string, table: string, via: Via = []): Path | undefined {
    const route = this.route(base, table, via);
    return route?.kind === 'lookup' ? route.path : undefined;
  }

  /**
   * All tables with a lookup path from `base`, `base` itself included, each with its paths (by table name in
   * lower case).
   */
  lookups(base: string, via: Via = []): ReadonlyMap<string, readonly Path[]> {
    const cacheKey = `${key(base)}\n${via.join('\n')}`;
    let found = this.lookupCache.get(cacheKey);
    if (!found) {
      found = new Map();
      this.walk(key(base), [], new Set([key(base)]), via, found);
      this.narrow(found, via);
      this.lookupCache.set(cacheKey, found);
    }
    return found;
  }

  /**
   * Tables that the given one looks up, itself included, by default relationships: what `ignoring t` and
   * `given t` speak of.
   */
  closure(table: string): ReadonlySet<string> {
    return new Set(this.lookups(table).keys());
  }

  private walk(
    table: string,
    path: Relationship[],
    seen: Set<string>,
    via: Via,
    found: Map<string, Path[]>,
  ): void {
    const paths = found.get(table) ?? [];
    if (paths.length >= MOST_PATHS) return;
    found.set(table, [...paths, path]);
    for (const relationship of this.outgoing.get(table) ?? []) {
      if (cardinalityOf(relationship) === 'many-to-many') continue;
      if (!this.isFollowed(relationship) && !via.includes(key(relationship.name))) continue;
      const next = key(relationship.to.table);
      if (seen.has(next) || !this.names.table(next)) continue;
      this.walk(next, [...path, relationship], new Set(seen).add(next), via, found);
    }
  }

  /**
   * Under `via`, of the paths to a named relationship's table and to what that looks up only those through it
   * remain.
   */
  private narrow(found: Map<string, Path[]>, via: Via): void {
    const decided = new Set<string>();
    for (const name of [...via].reverse()) {
      const relationship = this.names.relationship(name);
      if (
        !relationship ||
        ![...found.values()].some((paths) => paths.some((path) => path.includes(relationship)))
      )
        continue;
      for (const table of this.closure(relationship.to.table)) {
        if (decided.has(table)) continue;
        decided.add(table);
        const through = (found.get(table) ?? []).filter((path) => path.includes(relationship));
        if (through.length > 0) found.set(table, through);
        else found.delete(table);
      }
    }
  }

  private find(base: string, table: string, via: Via): Route | undefined {
    const direct = this.lookups(base, via).get(key(table));
    if (direct)
      return direct.length === 1
        ? { kind: 'lookup', path: direct[0]! }
        : { kind: 'ambiguous', paths: direct };
    return this.only(this.bridges(base, table, via)) ?? this.only(this.manyToMany(base, table, via));
  }

  private only(routes: readonly Exclude<Route, { kind: 'ambiguous' }>[]): Route | undefined {
    if (routes.length <= 1) return routes[0];
    return { kind: 'ambiguous', paths: routes.map(hopsOf) };
  }

  private bridges(base: string, table: string, via: Via): Extract<Route, { kind: 'bridge' }>[] {
    const routes: Extract<Route, { kind: 'bridge' }>[] = [];
    const near = this.lookups(base, via);
    for (const bridge of this.bridgeTables) {
      if (sameName(bridge.name, base)) continue;
      const paths = this.lookups(bridge.name, via).get(key(table));
      if (!paths) continue;
      for (const entry of this.outgoing.get(key(bridge.name)) ?? []) {
        if (!this.isFollowed(entry) || cardinalityOf(entry) === 'many-to-many') continue;
        for (const anchor of near.get(key(entry.to.table)) ?? [])
          for (const path of paths) routes.push({ kind: 'bridge', entry, anchor, path });
      }
    }
    return routes;
  }

  private manyToMany(base: string, table: string, via: Via): Extract<Route, { kind: 'many-to-many' }>[] {
    const routes: Extract<Route, { kind: 'many-to-many' }>[] = [];
    const near = this.lookups(base, via);
    for (const entry of this.byValues) {
      if (!this.isFollowed(entry)) continue;
      for (const anchor of near.get(key(entry.from.table)) ?? []) {
        for (const path of this.lookups(entry.to.table, via).get(key(table)) ?? [])
          routes.push({ kind: 'many-to-many', entry, anchor, path });
      }
    }
    return routes;
  }
}
