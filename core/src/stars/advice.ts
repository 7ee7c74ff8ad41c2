import type { Edit } from '../edit/index.ts';
import type { Model, ModelColumn, Table } from '../model/index.ts';
import { cardinalityOf, isDefault, sameName } from '../model/index.ts';
import type { ModelData } from '../query/index.ts';
import { DataError, onRowsOf } from '../query/index.ts';
import { Reach } from '../relate/index.ts';
import { ModelNames } from '../model/index.ts';
import { stepsUnder } from '../edit/index.ts';
import { columnBytes } from '../storage/index.ts';

/** What a dimension is in the stars that it belongs to. */
export interface DimensionFacts {
  readonly table: string;
  /** Facts that it reaches. Shared (conformed) where there are several. */
  readonly facts: readonly string[];
  /** Relationships from one fact: with several it plays several roles. */
  readonly roles: readonly {
    readonly fact: string;
    readonly relationships: readonly {
      readonly name: string;
      readonly role?: string;
      readonly default: boolean;
    }[];
  }[];
  /** Tables that it looks up: it is snowflaked. */
  readonly outriggers: readonly OutriggerFacts[];
}

/** What bringing an outrigger's columns into a dimension would do. */
export interface OutriggerFacts {
  readonly table: string;
  readonly relationship: string;
  readonly columns: readonly string[];
  /** Bytes of the columns as they are in the outrigger, with its own key. */
  readonly bytesThere: number;
  /** Bytes of the columns on the dimension's rows; undefined where the rows are not there. */
  readonly bytesHere?: number;
  /** Facts that would reach the columns in one hop less. */
  readonly facts: readonly string[];
  /** Does it as a shaping step; undefined where the dimension's rows cannot be given steps. */
  readonly edit?: Edit;
}

/** Columns of a fact with few values that belong to no dimension. */
export interface LooseColumns {
  readonly fact: string;
  /** A dimension with one column: it stays in the fact (degenerate), such as a receipt's number. */
  readonly degenerate: readonly { readonly column: string; readonly distinct: number }[];
  /** Flags and small codes that together may make one dimension (junk), with the combinations that occur. */
  readonly junk: readonly { readonly column: string; readonly distinct: number }[];
  readonly combinations?: number;
}

export interface StarAdvice {
  readonly dimensions: readonly DimensionFacts[];
  readonly loose: readonly LooseColumns[];
}

const FEW_VALUES = 12;

/**
 * Tells what the dimensions of a model are, and which columns of its facts belong to none. Works on columns
 * and dictionaries, not on rows, but for what is flattened.
 */
export function adviseStars(data: ModelData): StarAdvice {
  const { model } = data;
  const reach = new Reach(new ModelNames(model));
  const facts = model.tables.filter((t) => t.role === 'fact');
  return {
    dimensions: model.tables
      .filter((t) => t.role === 'dimension')
      .map((t) => dimensionFacts(data, reach, facts, t)),
    loose: facts
      .map((f) => looseColumns(data, f))
      .filter((l) => l.degenerate.length > 0 || l.junk.length > 1),
  };
}

function dimensionFacts(
  data: ModelData,
  reach: Reach,
  facts: readonly Table[],
  table: Table,
): DimensionFacts {
  const all = data.model.relationships ?? [];
  const reached = facts.filter((f) => {
    const route = reach.route(f.name, table.name);
    return route !== undefined && route.kind !== 'ambiguous';
  });
  const roles = facts.flatMap((f) => {
    const own = all.filter((r) => sameName(r.from.table, f.name) && sameName(r.to.table, table.name));
    return own.length > 1
      ? [
          {
            fact: f.name,
            relationships: own.map((r) => ({
              name: r.name,
              ...(r.role ? { role: r.role } : {}),
              default: isDefault(r),
            })),
          },
        ]
      : [];
  });
  const outriggers = all
    .filter(
      (r) =>
        sameName(r.from.table, table.name) &&
        isDefault(r) &&
        cardinalityOf(r) !== 'many-to-many' &&
        !sameName(r.to.table, table.name),
    )
    .flatMap((r) => {
      const to = data.checker.names.table(r.to.table);
      return to?.role === 'dimension' && cardinalityOf(r) === 'many-to-one'
        ? [outriggerFacts(data, table, to, r, reached)]
        : [];
    });
  return { table: table.name, facts: reached.map((f) => f.name), roles, outriggers };
}

function outriggerFacts(
  data: ModelData,
  table: Table,
  to: Table,
  r: NonNullable<Model['relationships']>[number],
  facts: readonly Table[],
): OutriggerFacts {
  const isKey = (name: string) => r.to.columns.some((k) => sameName(k, name));
  const brought = to.columns.filter((c) => c.formula === undefined && !isKey(c.name));
  const taken = (name: string) => table.columns.some((c) => sameName(c.name, name));
  const as = (name: string) => (taken(name) ? `${to.name}_${name}` : name);
  const added = brought
    .filter((c) => !taken(as(c.name)))
    .map((c): ModelColumn => ({ name: as(c.name), type: c.type, use: 'attribute' }));
  const lookup = {
    table: to.name,
    on: r.from.columns.map((from, i) => [from, r.to.columns[i]!]),
    columns: brought
      .filter((c) => !taken(as(c.name)))
      .map((c) => (as(c.name) === c.name ? c.name : { column: c.name, as: as(c.name) })),
  };
  const edit =
    lookup.columns.length > 0 ? stepsUnder(data.model, table, [{ lookup }], added)?.edit : undefined;
  return {
    table: to.name,
    relationship: r.name,
    columns: brought.map((c) => c.name),
    ...bytesOf(data, table, to, brought),
    facts: facts.map((f) => f.name),
    ...(edit ? { edit } : {}),
  };
}

/** Bytes of an outrigger's columns where they are, and on the rows of the dimension. */
function bytesOf(
  data: ModelData,
  table: Table,
  to: Table,
  brought: readonly ModelColumn[],
): { bytesThere: number; bytesHere?: number } {
  const size = (column: Parameters<typeof columnBytes>[0]) => {
    const { dataBytes, dictionaryBytes } = columnBytes(column);
    return dataBytes + dictionaryBytes;
  };
  try {
    const there = to.columns
      .filter((c) => c.formula === undefined)
      .reduce((sum, c) => sum + size(data.column(to.name, c.name)), 0);
    const here = brought.reduce(
      (sum, c) => sum + size(onRowsOf(data, table.name, { table: to.name, column: c.name })),
      0,
    );
    return { bytesThere: there, bytesHere: here };
  } catch (error) {
    if (error instanceof DataError) return { bytesThere: 0 };
    throw error;
  }
}

function looseColumns(data: ModelData, fact: Table): LooseColumns {
  const ends = (data.model.relationships ?? [])
    .flatMap((r) => [r.from, r.to])
    .filter((end) => sameName(end.table, fact.name));
  const related = (name: string) => ends.some((end) => end.columns.some((c) => sameName(c, name)));
  const degenerate: { column: string; distinct: number }[] = [];
  const junk: { column: string; distinct: number }[] = [];
  for (const c of fact.columns) {
    if (
      related(c.name) ||
      c.use === 'quantity' ||
      c.hidden ||
      c.formula !== undefined ||
      c.type === 'date' ||
      c.type === 'timestamp'
    )
      continue;
    try {
      const { distinct, rowCount } = data.column(fact.name, c.name);
      if (distinct >= 2 && distinct <= FEW_VALUES && rowCount > 50) junk.push({ column: c.name, distinct });
      else if (distinct > FEW_VALUES) degenerate.push({ column: c.name, distinct });
    } catch (error) {
      if (!(error instanceof DataError)) throw error;
    }
  }
  return {
    fact: fact.name,
    degenerate,
    junk,
    ...(junk.length > 1 ? { combinations: junk.reduce((n, c) => n * c.distinct, 1) } : {}),
  };
}
