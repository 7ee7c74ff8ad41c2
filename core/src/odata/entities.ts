import type { Column } from '../columns/index.ts';

import { quotePath } from '../formula/index.ts';
import type { Json, ModelData } from '../query/index.ts';
import { lookForInterruption, ROWS_BETWEEN_LOOKS, rowValues } from '../query/index.ts';
import { INTEGER, toJson } from '../values/index.ts';
import type { Expression } from './expression.ts';
import { ODataReader } from './expression.ts';
import { ODataError, wrong } from './odataError.ts';
import type { Options, Ordered } from './options.ts';
import type { Page } from './page.ts';
import type { ColumnProperty, EntitySet } from './service.ts';
import { formulaOf } from './toFormula.ts';

/** Properties of the answer in their order: those chosen, or all; with the number of the row as a key. */
function chosen(set: EntitySet, select: Options['select']): { id: string; column?: string }[] {
  const all = [
    ...(set.key ? [] : [{ id: set.row }]),
    ...set.properties.map(({ id, column }) => ({ id, column })),
  ];
  if (!select || select.includes('*')) return all;
  const found = select.map((name) => {
    const property = all.find((p) => p.id.toLowerCase() === name.toLowerCase());
    if (!property) throw noProperty(set.id, name);
    return property;
  });
  return [...new Set(found)];
}

const noProperty = (set: string, name: string): Error => wrong(`${set} has no property ${name}`);

function propertyOf(set: EntitySet, name: string): ColumnProperty {
  const found = set.properties.find((p) => p.id.toLowerCase() === name.toLowerCase());
  if (!found) throw noProperty(set.id, name);
  return found;
}

/** Tells rows that a condition lets through. Throws ODataError for one that means nothing over these rows. */
function passing(data: ModelData, set: EntitySet, filter: Expression): (row: number) => boolean {
  const { name } = set.table;
  const formula = formulaOf(filter, (id) => {
    const { column, type } = propertyOf(set, id);
    return { formula: quotePath(name, column), type };
  });
  const checked = data.checker.rowFormula(data.modelTable(name), formula);
  if (!checked.typed || checked.typed.type?.kind !== 'boolean')
    throw wrong(`$filter: ${checked.faults[0]?.message ?? 'it is no condition'}`);
  const passes = rowValues(data, name, checked.typed);
  return (row) => passes(row) === true;
}

/** Rows that fit, at most `most` of them where no order asks for all, and how many there are in all. */
function fitting(data: ModelData, set: EntitySet, options: Options, most: number): number[] {
  const total = data.rowCount(set.table.name);
  const passes = options.filter ? passing(data, set, options.filter) : () => true;
  const isEnough = options.order.length > 0 || options.count ? Infinity : most;
  const rows: number[] = [];
  for (let row = 0; row < total && rows.length < isEnough; row++) {
    if (row % ROWS_BETWEEN_LOOKS === 0) lookForInterruption();
    if (passes(row)) rows.push(row);
  }
  return options.order.length > 0 ? inOrder(data, set, rows, options.order) : rows;
}

/** Codes ascend with their values, and null is the least, as OData has it. Rows alike keep their order. */
function inOrder(data: ModelData, set: EntitySet, rows: number[], order: readonly Ordered[]): number[] {
  const by = order.map(({ property, isDescending }) => ({
    codes: data.column(set.table.name, propertyOf(set, property).column).codes,
    sign: isDescending ? -1 : 1,
  }));
  return rows.sort((a, b) => {
    for (const { codes, sign } of by) {
      const difference = codes[a]! - codes[b]!;
      if (difference !== 0) return sign * difference;
    }
    return a - b;
  });
}

/** The values of rows under their properties. */
function pageOf(
  data: ModelData,
  set: EntitySet,
  rows: readonly number[],
  select: Options['select'],
): Pick<Page, 'set' | 'properties' | 'isWhole' | 'rows'> {
  const shown = chosen(set, select).map(({ id, column }) => {
    const found: Column | undefined = column === undefined ? undefined : data.column(set.table.name, column);
    return {
      id,
      type: found?.type ?? INTEGER,
      values: found
        ? found.valuesAt(rows).map((value) => toJson(value, found.type))
        : rows.map((row): Json => row + 1),
    };
  });
  return {
    set: set.id,
    properties: shown,
    isWhole: select === undefined || select.includes('*'),
    rows: rows.map((_, i) => shown.map((p) => p.values[i]!)),
  };
}

/** A page of the rows of a table. `place` is how many have been given before, `most` what a page holds. */
export function entities(
  data: ModelData,
  set: EntitySet,
  options: Options,
  place: number,
  most: number,
): Page {
  if (options.apply) throw wrong('$apply is for the set of answers');
  const start = options.skip + place;
  const wanted = Math.min(most, (options.top ?? Infinity) - place);
  const fit = fitting(data, set, options, start + wanted + 1);
  const rows = fit.slice(start, start + wanted);
  const isMore = fit.length > start + wanted && (options.top ?? Infinity) > place + wanted;
  return {
    ...pageOf(data, set, rows, options.select),
    ...(options.count ? { count: fit.length } : {}),
    ...(isMore ? { next: place + rows.length } : {}),
  };
}

/** How many rows fit a condition. */
export const countOf = (data: ModelData, set: EntitySet, options: Options): number =>
  fitting(data, set, { ...options, order: [], count: true }, Infinity).length;

/** One row by its key, such as `7` or `branch=7,day=2026-01-31`. Throws ODataError where there is none. */
export function entityOf(data: ModelData, set: EntitySet, key: string, select: Options['select']): Page {
  const reader = new ODataReader(key, 'the key');
  const wanted = set.key?.map(({ id }) => id) ?? [set.row];
  const parts = reader.list((): [string | undefined, Expression] => {
    const value = reader.expression();
    if (value.kind !== 'property') return [undefined, value];
    reader.needs('=');
    return [value.name, reader.expression()];
  });
  reader.end();
  const filter = parts.map(([name, value], i): Expression => {
    const property = name ?? (parts.length === 1 ? wanted[i] : undefined);
    if (property === undefined || value.kind !== 'literal') throw reader.fault('a key is NAME=VALUE');
    return { kind: 'binary', operator: 'eq', left: { kind: 'property', name: property }, right: value };
  });
  const isNamed = (id: string) => parts.some(([name]) => name?.toLowerCase() === id.toLowerCase());
  const isWhole = parts.length === wanted.length && (parts[0]![0] === undefined || wanted.every(isNamed));
  if (!isWhole) throw wrong(`the key of ${set.id} is ${wanted.join(', ')}`);
  const rows = set.key
    ? fitting(data, set, { order: [], skip: 0, count: false, filter: all(filter) }, 1)
    : rowNumbered(data, set, parts);
  if (rows.length === 0) throw new ODataError(404, `${set.id} has no entity ${key}`);
  return pageOf(data, set, rows, select);
}

const all = ([first, ...more]: readonly Expression[]): Expression =>
  more.reduce((left, right): Expression => ({ kind: 'binary', operator: 'and', left, right }), first!);

function rowNumbered(
  data: ModelData,
  set: EntitySet,
  [part]: readonly [string | undefined, Expression][],
): number[] {
  const [, value] = part!;
  const row = value.kind === 'literal' && value.type === 'integer' ? Number(value.text) - 1 : -1;
  return row >= 0 && row < data.rowCount(set.table.name) ? [row] : [];
}
