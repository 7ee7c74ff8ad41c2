import type { Value } from '../values/index.ts';
import { nearestName, toJson } from '../values/index.ts';
import type { Column } from '../columns/index.ts';
import { codesArray, columnOfCodes, columnValues, combinations } from '../columns/index.ts';
import type { ByItem, Hierarchy } from '../model/index.ts';
import { sameName, splitPath } from '../model/index.ts';
import type { ColumnName } from '../formula/index.ts';
import type { Axis, ContextShape } from './context.ts';
import type { ModelData } from './modelData.ts';
import { DataError } from './dataError.ts';
import { columnAxis } from './scan.ts';

/** A question that cannot be answered: what is wrong and where. */
export class QueryError extends DataError {}

/** What names are looked up in. */
export type Named = Pick<ModelData, 'checker' | 'model'>;

/** The column of a path written `table.column`; throws QueryError with the nearest name. */
export function resolvePath(data: Named, path: string): { table: string; column: string } {
  const found = data.checker.names.path(path);
  if (found) return { table: found.table.name, column: found.column.name };
  const [tableName, columnName] = splitPath(path) ?? [
    path.split('.')[0]!,
    path.split('.').slice(1).join('.'),
  ];
  const table = data.checker.names.table(tableName);
  const near = table
    ? nearestName(
        columnName,
        table.columns.map((c) => c.name),
      )
    : nearestName(
        tableName,
        data.model.tables.map((t) => t.name),
      );
  throw new QueryError(
    `there is no column "${path}"${near ? `: did you mean "${table ? `${table.name}.${near}` : `${near}.${columnName}`}"?` : ''}`,
  );
}

/** What an item of `by` names. `key` tells members of a level apart where it has one. */
export type LevelNamed =
  | ({ readonly kind: 'column' } & ColumnName)
  | {
      readonly kind: 'level';
      readonly name: string;
      readonly shown: ColumnName;
      readonly key?: ColumnName;
      readonly orderBy?: ColumnName;
    }
  /**
   * A level whose members several columns tell apart, such as a town within its district: over the rows of
   * the hierarchy's own table.
   */
  | {
      readonly kind: 'composite';
      readonly name: string;
      readonly table: string;
      readonly shown: ColumnName;
      readonly keys: readonly ColumnName[];
      readonly orderBy?: ColumnName;
    }
  | { readonly kind: 'depth'; readonly hierarchy: Hierarchy; readonly depth: number };

/** Resolves an item of `by` by the model alone. Throws QueryError for what the model does not have. */
export function levelOf(data: Named, item: ByItem): LevelNamed {
  if (typeof item === 'string') return { kind: 'column', ...resolvePath(data, item) };
  const hierarchy = resolveHierarchy(data, item.hierarchy);
  if ('depth' in item) {
    if (hierarchy.parent === undefined)
      throw new QueryError(`"${item.hierarchy}" has levels, not depths: name a level`);
    return { kind: 'depth', hierarchy, depth: item.depth };
  }
  const level = (hierarchy.levels ?? []).find((l) => l.name.toLowerCase() === item.level.toLowerCase());
  if (!level) {
    const near = nearestName(
      item.level,
      (hierarchy.levels ?? []).map((l) => l.name),
    );
    throw new QueryError(
      `the hierarchy "${item.hierarchy}" has no level "${item.level}"${near ? `: did you mean "${near}"?` : ''}`,
    );
  }
  return namedLevel(data, hierarchy, level);
}

/** What reach asks of an item of `by`, by the model alone: where its condition stands. */
export function axisShape(data: Named, item: ByItem): ContextShape['axes'][number] {
  const named = levelOf(data, item);
  switch (named.kind) {
    case 'column':
      return { name: `${named.table}.${named.column}`, table: named.table, column: named.column };
    case 'level':
      return { name: named.name, table: named.key?.table ?? named.shown.table, column: named.shown.column };
    case 'composite':
      return {
        name: named.name,
        table: named.table,
        ...(named.shown.table === named.table ? { column: named.shown.column } : {}),
      };
    case 'depth':
      return { name: named.hierarchy.name, table: named.hierarchy.table };
  }
}

/** The axis of an item of `by`. */
export function axisOf(data: ModelData, item: ByItem): Axis {
  const named = levelOf(data, item);
  if (named.kind === 'column') return columnAxis(data, named.table, named.column);
  return named.kind === 'depth' ? depthAxis(data, named.hierarchy, named.depth) : axisOfNamed(data, named);
}

/**
 * The axis of an item of `by`, in the order that a hierarchy's level gives its column where one does: months
 * by name follow the year.
 */
export function orderedAxis(data: ModelData, item: ByItem): Axis {
  const axis = axisOf(data, item);
  if (typeof item !== 'string' || axis.order) return axis;
  for (const hierarchy of data.model.hierarchies ?? []) {
    for (const level of hierarchy.levels ?? []) {
      if (level.orderBy === undefined) continue;
      const [shown, by] = [level.column, level.orderBy].map((path) => levelColumn(data, hierarchy, path));
      if (
        sameName(shown!.table, axis.table) &&
        sameName(shown!.column, axis.column!) &&
        sameName(by!.table, axis.table)
      )
        return { ...axis, order: firstValue(axis, data.column(by!.table, by!.column)) };
    }
  }
  return axis;
}

type NamedLevel = Extract<LevelNamed, { kind: 'level' | 'composite' }>;

const axisOfNamed = (data: ModelData, named: NamedLevel): Axis =>
  named.kind === 'composite' ? compositeAxis(data, named) : axisOfLevel(data, named);

export function resolveHierarchy(data: Named, path: string): Hierarchy {
  const found = data.checker.names.hierarchy(path);
  if (found) return found;
  const near = nearestName(
    path,
    (data.model.hierarchies ?? []).map((h) => `${h.table}.${h.name}`),
  );
  throw new QueryError(`there is no hierarchy "${path}"${near ? `: did you mean "${near}"?` : ''}`);
}

type Level = NonNullable<Hierarchy['levels']>[number];

/** A level's members: told apart by its key where it has one, else by what is shown. */
export const levelAxis = (data: ModelData, hierarchy: Hierarchy, level: Level): Axis =>
  axisOfNamed(data, namedLevel(data, hierarchy, level));

function namedLevel(data: Named, hierarchy: Hierarchy, level: Level): NamedLevel {
  const shown = levelColumn(data, hierarchy, level.column);
  const name = `${hierarchy.table}.${hierarchy.name}.${level.name}`;
  const keys =
    level.key === undefined ? [] : [level.key].flat().map((key) => levelColumn(data, hierarchy, key));
  const order = level.orderBy === undefined ? {} : { orderBy: levelColumn(data, hierarchy, level.orderBy) };
  const elsewhere = [...keys, ...Object.values(order)].some((c) => c.table !== shown.table);
  // What lies in several tables comes together on the rows of the hierarchy's own.
  if (keys.length > 1 || elsewhere) {
    const table = data.checker.names.table(hierarchy.table)!.name;
    return { kind: 'composite', name, table, shown, keys: keys.length > 0 ? keys : [shown], ...order };
  }
  return { kind: 'level', name, shown, ...(keys[0] ? { key: keys[0] } : {}), ...order };
}

/** A column of a table, or of one that it looks up, brought to the table's rows. */
export function onRowsOf(data: ModelData, table: string, { table: home, column }: ColumnName): Column {
  const found = data.column(home, column);
  const index = data.lookupIndex(table, home);
  if (!index) return found;
  const own = codesArray(found.domain.size, index.length);
  index.forEach((row, i) => (own[i] = row === 0 ? 0 : found.codes[row - 1]!));
  return columnOfCodes(`${home}.${column}`, found.type, found.domain, own);
}

/**
 * Members are told apart by several columns, in the order of their values; a row that lacks one of them is in
 * none.
 */
function compositeAxis(
  data: ModelData,
  { name, table, shown, keys, orderBy }: Extract<LevelNamed, { kind: 'composite' }>,
): Axis {
  const columns = keys.map((key) => onRowsOf(data, table, key));
  const label = onRowsOf(data, table, shown);
  const { numbers, size } = combinations(columns, label.rowCount);
  const first = new Int32Array(size).fill(-1);
  for (let row = numbers.length - 1; row >= 0; row--) first[numbers[row]!] = row;
  const whole = [...first.keys()].filter((n) => columns.every((c) => c.codes[first[n]!] !== 0));
  // Codes of a column are in the order of its values: so are the members, by the first column, then by the
  // next.
  whole.sort((a, b) => columns.reduce((order, c) => order || c.codes[first[a]!]! - c.codes[first[b]!]!, 0));
  const codeOf = new Uint32Array(size);
  whole.forEach((n, i) => (codeOf[n] = i + 1));
  const codes = codesArray(whole.length, numbers.length);
  numbers.forEach((n, row) => (codes[row] = codeOf[n]!));
  const axis: Axis = { name, type: label.type, table, codes, width: whole.length + 1, show: () => null };
  let made: ((code: number) => Value)[] | undefined;
  const keyValues = () => (made ??= columns.map((c) => firstValue(axis, c)));
  return {
    ...labelled(axis, label),
    keys: (code) => keyValues().map((value, i) => toJson(value(code), columns[i]!.type)),
    ...(shown.table === table ? { column: shown.column } : {}),
    ...(orderBy ? { order: firstValue(axis, onRowsOf(data, table, orderBy)) } : {}),
  };
}

function axisOfLevel(
  data: ModelData,
  { name, shown, key, orderBy }: Extract<LevelNamed, { kind: 'level' }>,
): Axis {
  const axis = columnAxis(data, key?.table ?? shown.table, key?.column ?? shown.column);
  const order = orderBy ? { order: firstValue(axis, data.column(orderBy.table, orderBy.column)) } : {};
  if (!key) return { ...axis, name, ...order };
  return {
    ...labelled(axis, data.column(shown.table, shown.column)),
    name,
    column: shown.column,
    ...order,
    keys: (code) => [toJson(axis.show(code), axis.type)],
  };
}

/** A column of a level: of the hierarchy's own table, or written `table.column`. */
export function levelColumn(
  data: Named,
  hierarchy: Hierarchy,
  path: string,
): { table: string; column: string } {
  const own = data.checker.names.column(hierarchy.table, path);
  return own
    ? { table: data.checker.names.table(hierarchy.table)!.name, column: own.name }
    : resolvePath(data, path);
}

/** Members shown by the label of the first row that has them. */
const labelled = (axis: Axis, label: Column): Axis => ({
  ...axis,
  type: label.type,
  show: firstValue(axis, label),
});

/** A column's value on the first row of each member. */
function firstValue(axis: Axis, column: Column): (code: number) => Value {
  const first = new Int32Array(axis.width).fill(-1);
  for (let row = axis.codes.length - 1; row >= 0; row--) first[axis.codes[row]!] = row;
  const values = columnValues(column);
  return (code) => (code === 0 || first[code]! < 0 ? null : values[column.codes[first[code]!]!]!);
}

/** The column that tells members of a parent-child hierarchy apart. Throws QueryError where there is none. */
export function treeKey(data: Named, hierarchy: Hierarchy): string {
  const key = hierarchy.key ?? data.checker.names.table(hierarchy.table)!.key?.[0];
  if (key === undefined)
    throw new QueryError(
      `the table ${hierarchy.table} has no key, which the hierarchy ${hierarchy.name} needs`,
    );
  return key;
}

/** Parents of a parent-child hierarchy by row: row + 1, 0 for a top (no parent, or an unknown one). */
export function parentRows(
  data: ModelData,
  hierarchy: Hierarchy,
): { parents: Uint32Array; key: Column; parent: Column } {
  const [key, parent] = [
    data.column(hierarchy.table, treeKey(data, hierarchy)),
    data.column(hierarchy.table, hierarchy.parent!),
  ];
  const rowOf = new Map<Value, number>();
  const [keyValues, parentValues] = [columnValues(key), columnValues(parent)];
  for (let row = key.rowCount - 1; row >= 0; row--)
    if (key.codes[row] !== 0) rowOf.set(keyValues[key.codes[row]!]!, row + 1);
  return {
    parents: Uint32Array.from(parent.codes, (code) =>
      code === 0 ? 0 : (rowOf.get(parentValues[code]!) ?? 0),
    ),
    key,
    parent,
  };
}

/**
 * By row, 1 where following parents never comes to a top: the members of a loop, and those below one.
 * `parents` as of `parentRows`.
 */
export function endlessRows(parents: Uint32Array): Uint8Array {
  const known = new Uint8Array(parents.length); // 0 unknown, 1 ends, 2 does not
  for (let row = 0; row < parents.length; row++) {
    const way: number[] = [];
    let at = row + 1;
    const own = new Set<number>();
    while (at !== 0 && known[at - 1] === 0 && !own.has(at)) {
      own.add(at);
      way.push(at - 1);
      at = parents[at - 1]!;
    }
    const ends = at === 0 || known[at - 1] === 1;
    for (const r of way) known[r] = ends ? 1 : 2;
  }
  return known.map((state) => (state === 2 ? 1 : 0));
}

/**
 * Ancestors at a depth (the top is 1): a member above the depth stands for itself; one on a loop for itself,
 * too.
 */
function depthAxis(data: ModelData, hierarchy: Hierarchy, depth: number): Axis {
  const { parents, key } = parentRows(data, hierarchy);
  const ancestors = Uint32Array.from({ length: parents.length }, (_, row) => {
    const chain: number[] = [];
    for (let at = row + 1; at !== 0 && !chain.includes(at); at = parents[at - 1]!) chain.push(at);
    return chain[Math.max(0, chain.length - depth)]!;
  });
  const codes = codesArray(key.domain.size, parents.length);
  ancestors.forEach((ancestor, row) => (codes[row] = key.codes[ancestor - 1]!));
  const own = columnAxis(data, hierarchy.table, key.name);
  const hidden = hierarchy.ownRows === 'hidden' ? ownRowsAbove(parents, key, own.width, depth) : undefined;
  const label = data.column(hierarchy.table, hierarchy.label ?? key.name);
  const { show, type } = labelled(own, label);
  return {
    name: `${hierarchy.table}.${hierarchy.name}`,
    type,
    table: data.modelTable(hierarchy.table).name,
    codes,
    width: own.width,
    show,
    keys: (code) => [toJson(own.show(code), own.type)],
    ...(hidden ? { hidden } : {}),
  };
}

/**
 * Members above a depth that have others below them: at that depth they stand for nothing but their own rows.
 */
function ownRowsAbove(parents: Uint32Array, key: Column, width: number, depth: number): Uint8Array {
  const hidden = new Uint8Array(width);
  const hasChildren = new Uint8Array(parents.length + 1);
  parents.forEach((parent, row) => {
    if (parent !== row + 1) hasChildren[parent] = 1;
  });
  for (let row = 0; row < parents.length; row++) {
    if (!hasChildren[row + 1]) continue;
    let length = 1;
    for (let at = parents[row]!; at !== 0 && length < depth; at = parents[at - 1]!) length++;
    if (length < depth) hidden[key.codes[row]!] = 1;
  }
  return hidden;
}
