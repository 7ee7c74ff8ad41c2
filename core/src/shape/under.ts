import type { Edit } from '../edit/index.ts';
import { quoteName } from '../formula/index.ts';
import type { Hierarchy, Model, ModelColumn, Relationship, Table } from '../model/index.ts';
import { sameName } from '../model/index.ts';
import type { Step } from './run.ts';

/** A name that no table of the model has, like the one that is wanted. */
export function freeTableName(model: Model, wanted: string): string {
  for (let n = 1; ; n++) {
    const name = n === 1 ? wanted : `${wanted}_${n}`;
    if (!model.tables.some((t) => sameName(t.name, name))) return name;
  }
}

const freeColumnName = (table: Table, wanted: string): string => {
  for (let n = 1; ; n++) {
    const name = n === 1 ? wanted : `${wanted}_${n}`;
    if (!table.columns.some((c) => sameName(c.name, name))) return name;
  }
};

/** A table with its rows moved below it. */
export interface Under {
  /** The staging table that holds the rows as they come. */
  readonly staging: Table;
  /** The table, derived from it by the steps; everything else that the model says of it stands. */
  readonly table: Table;
  readonly edit: Edit;
}

/**
 * Puts steps between a table and its rows: a staging table takes over where they come from, and the table is derived from it, under its own
 * name, so that relationships, hierarchies, measures and perspectives stay as they are. Undefined for a table that has no source, or is a
 * generated calendar: there is nothing to put steps on.
 */
export function stepsUnder(
  model: Model,
  table: Table,
  steps: readonly Step[] | ((staging: string) => readonly Step[]),
  added: readonly ModelColumn[] = [],
): Under | undefined {
  const { source } = table;
  if (!source || 'calendar' in source) return undefined;
  const name = freeTableName(model, `${table.name}_rows`);
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
 * Gives the parents of a parent-child hierarchy that have no row of their own one, with their key as label: for lists of leaves only. Undefined
 * where the key is made of several columns, or is of another type than the parent.
 */
export function parentsAsMembers(model: Model, hierarchy: Hierarchy): Edit | undefined {
  const table = model.tables.find((t) => sameName(t.name, hierarchy.table));
  const keyName = hierarchy.key ?? (table?.key?.length === 1 ? table.key[0] : undefined);
  const column = (name: string | undefined) => table?.columns.find((c) => name !== undefined && sameName(c.name, name));
  const [key, parent, label] = [column(keyName), column(hierarchy.parent), column(hierarchy.label ?? table?.label)];
  if (!table || !key || !parent || key.type !== parent.type || parent.formula !== undefined || key.formula !== undefined) return undefined;
  const own = freeColumnName(table, 'own_row');
  const name = freeTableName(model, `${table.name}_parents`);
  const named = label && label.formula === undefined && label.type === 'text' && !sameName(label.name, key.name) ? label : undefined;
  const text = key.type === 'text' ? quoteName(key.name) : `cast(${quoteName(key.name)} as text)`;
  const under = stepsUnder(model, table, [{ union: [name] }]);
  if (!under) return undefined;
  const rows = under.staging.name;
  const steps: Step[] = [
    { from: rows },
    { filter: `${quoteName(parent.name)} is not null` },
    { pick: [{ column: parent.name, as: key.name }] },
    { distinct: true },
    { lookup: { table: rows, on: [[key.name, key.name]], columns: [{ column: key.name, as: own }] } },
    { filter: `${quoteName(own)} is null` },
    { pick: [key.name] },
    ...(named ? [{ derive: { name: named.name, formula: text } }] : []),
  ];
  const parents: Table = {
    name,
    role: 'staging',
    source: { steps: steps as never },
    columns: [{ name: key.name, type: key.type }, ...(named ? [{ name: named.name, type: named.type }] : [])],
  };
  const [first, ...rest] = under.edit;
  return [first!, { do: 'put-tables', name: null, value: parents }, ...rest];
}

/** A fact that refers to the members of a dimension that keeps versions, and the day by which a version is chosen. */
export interface VersionMatch {
  readonly fact: Table;
  readonly dimension: Table;
  /** The fact's columns that name the member, in the order of the dimension's `validity.of`. */
  readonly members: readonly string[];
  /** The fact's date. */
  readonly at: string;
}

/**
 * Looks up for each row of a fact the version of the member that is valid on its day, and relates the fact to that version: to the dimension's
 * own key where that is one column, else to the member and the day on which the version begins. A default relationship to the member gives way.
 * Undefined where the fact's rows cannot be given steps, or the dimension keeps no versions.
 */
export function matchVersions(model: Model, { fact, dimension, members, at }: VersionMatch): Edit | undefined {
  const { validity, key = [] } = dimension;
  if (!validity) return undefined;
  const single = key.length === 1 && !validity.of.some((name) => sameName(name, key[0]!)) ? key[0]! : undefined;
  const brought = single ?? validity.from;
  const type = dimension.columns.find((c) => sameName(c.name, brought))?.type;
  if (type === undefined) return undefined;
  const as = freeColumnName(fact, single ?? `${dimension.name}_${validity.from}`);
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
  const names = (model.relationships ?? []).map((r) => r.name);
  const fresh = (wanted: string): string => (names.some((name) => sameName(name, wanted)) ? fresh(`${wanted}_version`) : wanted);
  const relationship: Relationship = old
    ? { ...old, ...ends, cardinality: 'many-to-one' }
    : { name: fresh(`${fact.name}_${dimension.name}`), ...ends, cardinality: 'many-to-one' };
  return [
    ...under.edit,
    ...(single ? [] : [{ do: 'set-table' as const, table: dimension.name, change: { key: to } }]),
    { do: 'put-relationships', name: old ? old.name : null, value: relationship },
  ];
}
