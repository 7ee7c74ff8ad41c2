import type { Value } from '../values/index.ts';
import { nearestName } from '../values/index.ts';
import type { Column } from '../columns/index.ts';
import { codesArray, columnValues } from '../columns/index.ts';
import type { ByItem, Hierarchy } from '../model/index.ts';
import { splitPath } from '../model/index.ts';
import type { ColumnName } from '../formula/index.ts';
import type { Axis } from './context.ts';
import type { ModelData } from './modelData.ts';
import { DataError } from './modelData.ts';
import { columnAxis } from './scan.ts';

/** A question that cannot be answered: what is wrong and where. */
export class QueryError extends DataError {}

/** What names are looked up in. */
export type Named = Pick<ModelData, 'checker' | 'model'>;

/** The column of a path written `table.column`; throws QueryError with the nearest name. */
export function resolvePath(data: Named, path: string): { table: string; column: string } {
  const found = data.checker.names.path(path);
  if (found) return { table: found.table.name, column: found.column.name };
  const [tableName, columnName] = splitPath(path) ?? [path.split('.')[0]!, path.split('.').slice(1).join('.')];
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
  | { readonly kind: 'level'; readonly name: string; readonly shown: ColumnName; readonly key?: ColumnName }
  | { readonly kind: 'depth'; readonly hierarchy: Hierarchy; readonly depth: number };

/** Resolves an item of `by` by the model alone. Throws QueryError for what the model does not have. */
export function levelOf(data: Named, item: ByItem): LevelNamed {
  if (typeof item === 'string') return { kind: 'column', ...resolvePath(data, item) };
  const hierarchy = resolveHierarchy(data, item.hierarchy);
  if ('depth' in item) {
    if (hierarchy.parent === undefined) throw new QueryError(`"${item.hierarchy}" has levels, not depths: name a level`);
    return { kind: 'depth', hierarchy, depth: item.depth };
  }
  const level = (hierarchy.levels ?? []).find((l) => l.name.toLowerCase() === item.level.toLowerCase());
  if (!level) {
    const near = nearestName(
      item.level,
      (hierarchy.levels ?? []).map((l) => l.name),
    );
    throw new QueryError(`the hierarchy "${item.hierarchy}" has no level "${item.level}"${near ? `: did you mean "${near}"?` : ''}`);
  }
  return namedLevel(data, hierarchy, level);
}

/** The axis of an item of `by`. */
export function axisOf(data: ModelData, item: ByItem): Axis {
  const named = levelOf(data, item);
  if (named.kind === 'column') return columnAxis(data, named.table, named.column);
  return named.kind === 'depth' ? depthAxis(data, named.hierarchy, named.depth) : axisOfLevel(data, named);
}

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
  axisOfLevel(data, namedLevel(data, hierarchy, level));

function namedLevel(data: Named, hierarchy: Hierarchy, level: Level): Extract<LevelNamed, { kind: 'level' }> {
  const shown = levelColumn(data, hierarchy, level.column);
  const name = `${hierarchy.table}.${hierarchy.name}.${level.name}`;
  if (level.key === undefined) return { kind: 'level', name, shown };
  const keys = [level.key].flat().map((key) => levelColumn(data, hierarchy, key));
  if (keys.length > 1 || keys[0]!.table !== shown.table)
    throw new QueryError(`the level ${name}: its key must be one column of ${shown.table}`);
  return { kind: 'level', name, shown, key: keys[0]! };
}

function axisOfLevel(data: ModelData, { name, shown, key }: Extract<LevelNamed, { kind: 'level' }>): Axis {
  if (!key) return { ...columnAxis(data, shown.table, shown.column), name };
  const axis = columnAxis(data, key.table, key.column);
  return { ...labelled(axis, data.column(shown.table, shown.column)), name, column: shown.column };
}

/** A column of a level: of the hierarchy's own table, or written `table.column`. */
export function levelColumn(data: Named, hierarchy: Hierarchy, path: string): { table: string; column: string } {
  const own = data.checker.names.column(hierarchy.table, path);
  return own ? { table: data.checker.names.table(hierarchy.table)!.name, column: own.name } : resolvePath(data, path);
}

/** Members shown by the label of the first row that has them. */
function labelled(axis: Axis, label: Column): Axis {
  const first = new Int32Array(axis.width).fill(-1);
  for (let row = axis.codes.length - 1; row >= 0; row--) first[axis.codes[row]!] = row;
  const values = columnValues(label);
  return { ...axis, type: label.type, show: (code) => (code === 0 || first[code]! < 0 ? null : values[label.codes[first[code]!]!]!) };
}

/** The column that tells members of a parent-child hierarchy apart. Throws QueryError where there is none. */
export function treeKey(data: Named, hierarchy: Hierarchy): string {
  const key = hierarchy.key ?? data.checker.names.table(hierarchy.table)!.key?.[0];
  if (key === undefined) throw new QueryError(`the table ${hierarchy.table} has no key, which the hierarchy ${hierarchy.name} needs`);
  return key;
}

/** Parents of a parent-child hierarchy by row: row + 1, 0 for a top (no parent, or an unknown one). */
export function parentRows(data: ModelData, hierarchy: Hierarchy): { parents: Uint32Array; key: Column; parent: Column } {
  const [key, parent] = [data.column(hierarchy.table, treeKey(data, hierarchy)), data.column(hierarchy.table, hierarchy.parent!)];
  const rowOf = new Map<Value, number>();
  const [keyValues, parentValues] = [columnValues(key), columnValues(parent)];
  for (let row = key.rowCount - 1; row >= 0; row--) if (key.codes[row] !== 0) rowOf.set(keyValues[key.codes[row]!]!, row + 1);
  return { parents: Uint32Array.from(parent.codes, (code) => (code === 0 ? 0 : (rowOf.get(parentValues[code]!) ?? 0))), key, parent };
}

/** Ancestors at a depth (the top is 1): a member above the depth stands for itself; one on a loop for itself, too. */
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
  const label = data.column(hierarchy.table, hierarchy.label ?? key.name);
  const { show, type } = labelled(own, label);
  return {
    name: `${hierarchy.table}.${hierarchy.name}`,
    type,
    table: data.modelTable(hierarchy.table).name,
    codes,
    width: own.width,
    show,
  };
}
