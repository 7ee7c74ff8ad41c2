import type { UnknownMembers } from '@crease/contract';
import type { Column, TableData } from '@crease/core/columns';
import { calledNow, columnValues } from '@crease/core/columns';
import { csvLine } from '@crease/core/interchange';
import type { Model, Table } from '@crease/core/model';
import { cardinalityOf, isDerived, sameName } from '@crease/core/model';
import { retyped } from '@crease/core/shape';
import { toText } from '@crease/core/values';
import type { Tables } from '../store/index.ts';
import { sourceKey } from '../store/index.ts';

// References of rows that come to members that their dimension does not have: listed, a reason to stop, or
// added to the dimension.

/** A reference of a table that is loaded, and what it leads to. */
export interface Outgoing {
  readonly relationship: string;
  readonly columns: readonly string[];
  readonly dimension: string;
  readonly key: readonly string[];
  /** The rows of the dimension, as ids of their parts. */
  readonly version: string;
  readonly stored: readonly Pick<Table['columns'][number], 'name' | 'sourceName' | 'type'>[];
  /** Whether members can be added to it by its key. */
  readonly canGrow: boolean;
}

/** Members that a reference leads to and that are not there; each as the texts of its key. */
export interface Unknown {
  readonly reference: Pick<Outgoing, 'relationship' | 'dimension' | 'canGrow'>;
  /** As far as they can be added: there may be more. */
  readonly members: readonly (readonly string[])[];
  /** How many there are. */
  readonly count: number;
  readonly rows: number;
}

/** So many members are told by name, and added at most. */
const MOST_TOLD = 20;
const MOST_ADDED = 50_000;

/** References of a table's coming columns to dimensions whose rows are there. */
export function outgoingOf(
  model: Model,
  table: string,
  columns: readonly string[],
  versionOf: (key: string) => string | undefined,
): Outgoing[] {
  const has = (name: string) => columns.some((c) => sameName(c, name));
  return (model.relationships ?? []).flatMap((r): Outgoing[] => {
    const to = model.tables.find((t) => sameName(t.name, r.to.table));
    const isLookup = ['many-to-one', 'one-to-one'].includes(cardinalityOf(r));
    if (!to || !isLookup || !sameName(r.from.table, table) || !r.from.columns.every(has)) return [];
    const version = isDerived(to) ? undefined : versionOf(sourceKey(to));
    if (version === undefined) return [];
    const isCalendar = (model.calendars ?? []).some((c) => sameName(c.table, to.name));
    const isKey =
      to.key?.length === r.to.columns.length &&
      r.to.columns.every((c) => to.key!.some((k) => sameName(k, c)));
    return [
      {
        relationship: r.name,
        columns: r.from.columns,
        dimension: to.name,
        key: r.to.columns,
        version,
        stored: to.columns.filter((c) => c.formula === undefined),
        canGrow: isKey && !isCalendar && to.partition === undefined,
      },
    ];
  });
}

/** Members that coming rows refer to and that are not there; a reference that is null is none. */
export function unknownOf(tables: Tables, coming: TableData, references: readonly Outgoing[]): Unknown[] {
  return references.flatMap((reference): Unknown[] => {
    const { version, stored, dimension, key, columns } = reference;
    const there = retyped(calledNow(tables.read(version, dimension), stored), stored);
    const known = new Set(rowKeys(there, key).keys());
    const unknown = [...rowKeys(coming, columns)].filter(([text]) => !known.has(text));
    if (unknown.length === 0) return [];
    return [
      {
        reference: { relationship: reference.relationship, dimension, canGrow: reference.canGrow },
        members: unknown.slice(0, MOST_ADDED).map(([, { texts }]) => texts),
        count: unknown.length,
        rows: unknown.reduce((sum, [, { rows }]) => sum + rows, 0),
      },
    ];
  });
}

interface Keyed {
  readonly texts: readonly string[];
  rows: number;
}

/** Combinations of columns that rows have, with how many have each; those with a null are left out. */
function rowKeys(table: TableData, names: readonly string[]): Map<string, Keyed> {
  const columns = names.map((name) => table.columns.get(name.toLowerCase()));
  if (columns.some((c) => c === undefined)) return new Map();
  return columns.length === 1 ? ofOne(columns[0]!) : ofSeveral(columns as Column[], table.rowCount);
}

const textsOf = (column: Column): string[] =>
  columnValues(column).map((value) => (value === null ? '' : toText(value, column.type)));

function ofOne(column: Column): Map<string, Keyed> {
  const found = new Map<string, Keyed>();
  const texts = textsOf(column);
  for (let code = 1; code < texts.length; code++)
    if (column.counts[code]! > 0)
      found.set(JSON.stringify([texts[code]]), { texts: [texts[code]!], rows: column.counts[code]! });
  return found;
}

function ofSeveral(columns: readonly Column[], rowCount: number): Map<string, Keyed> {
  const found = new Map<string, Keyed>();
  const texts = columns.map(textsOf);
  for (let row = 0; row < rowCount; row++) {
    if (columns.some((c) => c.codes[row] === 0)) continue;
    const own = columns.map((c, i) => texts[i]![c.codes[row]!]!);
    const text = JSON.stringify(own);
    const known = found.get(text);
    if (known) known.rows++;
    else found.set(text, { texts: own, rows: 1 });
  }
  return found;
}

/** Why a load stops that is not to have unknown members. */
export function unknownText(unknown: readonly Unknown[]): string {
  const parts = unknown.map(({ reference, members, count, rows }) => {
    const named = members.slice(0, 5).map((texts) => `“${texts.join(', ')}”`);
    const more = count > named.length ? ', …' : '';
    return `${rows} ${rows === 1 ? 'row refers' : 'rows refer'} to members that ${reference.dimension} does not have (${named.join(', ')}${more})`;
  });
  return `${parts.join('; ')}. Nothing was stored: load ${unknown[0]!.reference.dimension} first, or have such members listed or added`;
}

/** What is told of unknown members, and what becomes of them. */
export const toldOf = (unknown: readonly Unknown[], way: 'list' | 'stop' | 'add'): UnknownMembers[] =>
  unknown.map(({ reference, members, count, rows }) => ({
    relationship: reference.relationship,
    dimension: reference.dimension,
    members: count,
    rows,
    named: members.slice(0, MOST_TOLD).map((texts) => texts.join(', ')),
    added: way === 'add' && reference.canGrow && count <= MOST_ADDED,
  }));

/** What is written of a member that was added. */
const UNMATCHED = 'unmatched';

/** New members of a dimension as a delimited file: their keys, and "unmatched" as their label. */
export function membersFile(
  dimension: Table,
  key: readonly string[],
  members: readonly (readonly string[])[],
): string {
  const columns = dimension.columns.filter((c) => c.formula === undefined);
  const label = columns.find(
    (c) =>
      dimension.label !== undefined &&
      sameName(c.name, dimension.label) &&
      c.type === 'text' &&
      !key.some((k) => sameName(k, c.name)),
  );
  const cellOf = (name: string, texts: readonly string[]) => {
    const at = key.findIndex((k) => sameName(k, name));
    return at >= 0 ? texts[at]! : name === label?.name ? UNMATCHED : null;
  };
  return [
    csvLine(columns.map((c) => c.name)),
    ...members.map((texts) => csvLine(columns.map((c) => cellOf(c.name, texts)))),
  ].join('');
}

/** New members by dimension; those of several references are added once. */
export function toAdd(unknown: readonly (readonly Unknown[])[]): Map<string, readonly (readonly string[])[]> {
  const found = new Map<string, Map<string, readonly string[]>>();
  for (const { reference, members, count } of unknown.flat()) {
    if (!reference.canGrow || count > MOST_ADDED) continue;
    const own = found.get(reference.dimension) ?? new Map<string, readonly string[]>();
    for (const texts of members) own.set(JSON.stringify(texts), texts);
    found.set(reference.dimension, own);
  }
  return new Map([...found].map(([dimension, members]) => [dimension, [...members.values()]]));
}
