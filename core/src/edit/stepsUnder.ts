import type { Edit } from './edit.ts';
import type { Model, ModelColumn, Relationship, Table } from '../model/index.ts';
import { freeName, sameName } from '../model/index.ts';
import { sourceKind } from '../sources/index.ts';
import type { Step } from '../shape/index.ts';

/** A table with its rows moved below it. */
export interface Under {
  /** The staging table that holds the rows as they come. */
  readonly staging: Table;
  /** The table, derived from it by the steps; everything else that the model says of it stands. */
  readonly table: Table;
  readonly edit: Edit;
}

/**
 * Puts steps between a table and its rows: a staging table takes over where they come from, and the table is
 * derived from it, under its own name, so that relationships, hierarchies, measures and perspectives stay as
 * they are. Undefined for a table that has no source, or is a generated calendar: there is nothing to put
 * steps on.
 */
export function stepsUnder(
  model: Model,
  table: Table,
  steps: readonly Step[] | ((staging: string) => readonly Step[]),
  added: readonly ModelColumn[] = [],
): Under | undefined {
  const { source } = table;
  if (!source || !sourceKind(source).takesSteps) return undefined;
  const name = freeName(`${table.name}_rows`, model.tables);
  const stored = table.columns.filter((c) => c.formula === undefined);
  const staging: Table = {
    name,
    role: 'staging',
    source,
    columns: stored.map(({ name: column, type, pattern, sourceName }) => ({
      name: column,
      type,
      ...(pattern === undefined ? {} : { pattern }),
      ...(sourceName === undefined ? {} : { sourceName }),
    })),
  };
  const derived: Table = {
    ...table,
    source: { steps: [{ from: name }, ...(typeof steps === 'function' ? steps(name) : steps)] as never },
    columns: [...table.columns.map(({ pattern: _, sourceName: __, ...rest }) => rest), ...added],
  };
  return {
    staging,
    table: derived,
    edit: [
      { do: 'put-tables', name: null, value: staging },
      { do: 'put-tables', name: table.name, value: derived },
    ],
  };
}

/**
 * A fact that refers to the members of a dimension that keeps versions, and the day by which a version is
 * chosen.
 */
export interface VersionMatch {
  readonly fact: Table;
  readonly dimension: Table;
  /** The fact's columns that name the member, in the order of the dimension's `validity.of`. */
  readonly members: readonly string[];
  /** The fact's date. */
  readonly at: string;
}

/**
 * Looks up for each row of a fact the version of the member that is valid on its day, and relates the fact to
 * that version: to the dimension's own key where that is one column, else to the member and the day on which
 * the version begins. A default relationship to the member gives way. Undefined where the fact's rows cannot
 * be given steps, or the dimension keeps no versions.
 */
export function matchVersions(
  model: Model,
  { fact, dimension, members, at }: VersionMatch,
): Edit | undefined {
  const { validity, key = [] } = dimension;
  if (!validity) return undefined;
  const single =
    key.length === 1 && !validity.of.some((name) => sameName(name, key[0]!)) ? key[0]! : undefined;
  const brought = single ?? validity.from;
  const type = dimension.columns.find((c) => sameName(c.name, brought))?.type;
  if (type === undefined) return undefined;
  const as = freeName(single ?? `${dimension.name}_${validity.from}`, fact.columns);
  const lookup = {
    lookup: {
      table: dimension.name,
      on: validity.of.map((name, i) => [members[i]!, name]),
      columns: [{ column: brought, as }],
      valid: { at, from: validity.from, to: validity.to },
    },
  };
  const under = stepsUnder(model, fact, [lookup], [{ name: as, type, use: 'reference' }]);
  if (!under) return undefined;
  const from = single ? [as] : [...members, as];
  const to = single ? [single] : [...validity.of, validity.from];
  const old = (model.relationships ?? []).find(
    (r) => sameName(r.from.table, fact.name) && sameName(r.to.table, dimension.name) && r.default !== false,
  );
  const ends = { from: { table: fact.name, columns: from }, to: { table: dimension.name, columns: to } };
  const relationship: Relationship = old
    ? { ...old, ...ends, cardinality: 'many-to-one' }
    : {
        name: freeName(`${fact.name}_${dimension.name}`, model.relationships ?? []),
        ...ends,
        cardinality: 'many-to-one',
      };
  return [
    ...under.edit,
    ...(single ? [] : [{ do: 'set-table' as const, table: dimension.name, change: { key: to } }]),
    { do: 'put-relationships', name: old ? old.name : null, value: relationship },
  ];
}
