import type { DataType } from '../values/index.ts';
import { comparable, parseType, TEXT } from '../values/index.ts';
import type { Column } from '../columns/index.ts';
import type { Model, ModelColumn, Table } from '../model/index.ts';
import { sameName } from '../model/index.ts';
import type { ModelData } from '../query/index.ts';
import { isCalendarKey, isCalendarTable } from './calendars.ts';
import { chanceOf, heldBy } from './held.ts';
import { FIT, nameFit, subjectOf } from './nameFit.ts';
import type { Fit } from './nameFit.ts';
import { isGivenName, nameLikeness, wordsOf } from './names.ts';

/**
 * What tells a reference: by default names that fit and values that are held; or a house's own rule for
 * names, or the values alone.
 */
export const REFERENCE_PATTERNS = ['names and values', 'same name', 'table and key', 'values alone'] as const;
export type ReferencePattern = (typeof REFERENCE_PATTERNS)[number];

/** A reference that was found: columns of a table whose values are those of unique columns of another. */
export interface Candidate {
  readonly from: Table;
  readonly columns: readonly string[];
  readonly to: Table;
  /** The columns of the other table, in the order of `columns`. */
  readonly key: readonly string[];
  /** Rows of which all columns have a value, and others. */
  readonly filled: number;
  readonly nulls: number;
  /** Filled rows that find a partner. */
  readonly matched: number;
  readonly fromDistinct: number;
  readonly toDistinct: number;
  /** How the names say so. */
  readonly fit: Fit;
  /** Larger for the better of two targets. */
  readonly score: number;
}

/** Of the filled rows, so much must find a partner where the name says to which table a column refers. */
const MOST = 0.6;
/** So much where only a part of the name says so, or none. */
const NEARLY_ALL = 0.9;
const ALL_BUT_FEW = 0.98;
/** Values that few say nothing: with names that do not fit, so many different ones must be held. */
const SEVERAL = 3;
/** With a chance below, values are not held by accident. */
const UNLIKELY = 0.2;

export const sameKind = (a: DataType, b: DataType): boolean =>
  comparable(a, b) && (a.kind === 'text') === (b.kind === 'text');

const NO_REFERENCES: ReadonlySet<DataType['kind']> = new Set(['decimal', 'double', 'boolean', 'timestamp']);

/**
 * The column that a column refers to, of all that tell the rows of a table apart; undefined where it refers
 * to none.
 */
export function bestTarget(
  model: Model,
  data: ModelData,
  from: Table,
  column: ModelColumn,
  pattern: ReferencePattern,
): Candidate | undefined {
  const own = data.column(from.name, column.name);
  const type = parseType(column.type) ?? TEXT;
  if (own.distinct === 0 || NO_REFERENCES.has(type.kind)) return undefined;
  return model.tables
    .filter((to) => to !== from)
    .flatMap((to) => targetsIn(to, data))
    .flatMap(({ to, key }) => candidate({ data, from, column, own, type, to, key, pattern }) ?? [])
    .sort(
      (a, b) =>
        b.score - a.score ||
        called(column.name, b.to) - called(column.name, a.to) ||
        b.toDistinct - a.toDistinct,
    )[0];
}

/**
 * Columns that tell the rows of a table apart: its key of one column, and others in which no value stands
 * twice.
 */
function targetsIn(to: Table, data: ModelData): { to: Table; key: string }[] {
  if ((to.key ?? []).length === 0) return [];
  return to.columns
    .filter((c) => c.formula === undefined)
    .filter((c) => {
      if (isOwnKey(to, c.name)) return true;
      const column = data.column(to.name, c.name);
      return (
        column.distinct > 1 && column.distinct === column.rowCount - column.nulls && !hasDecimals(column)
      );
    })
    .map((c) => ({ to, key: c.name }));
}

const hasDecimals = ({ type }: Column): boolean => NO_REFERENCES.has(type.kind);

interface Pair {
  readonly data: ModelData;
  readonly from: Table;
  readonly column: ModelColumn;
  readonly own: Column;
  readonly type: DataType;
  readonly to: Table;
  readonly key: string;
  readonly pattern: ReferencePattern;
}

function candidate(pair: Pair): Candidate | undefined {
  const { data, from, column, own, type, to, key, pattern } = pair;
  const keyColumn = data.column(to.name, key);
  if (!sameKind(type, keyColumn.type)) return undefined;
  const isKey = isOwnKey(to, key);
  const fit = nameFit(column.name, to.name, key);
  // Who says what a reference is called has said it of keys, too.
  const isSaid = pattern === 'same name' || pattern === 'table and key';
  if (!isSaid && !mayRefer(pair, fit, isKey)) return undefined;
  const held = heldBy(own, keyColumn);
  const share = held.matched / Math.max(1, held.filled);
  if (share < MOST) return undefined;
  const byRule = fitsPattern(pattern, column.name, to, key);
  const isReference =
    type.kind === 'date'
      ? isCalendarKey(keyColumn) && isCalendarTable(to, data)
      : byRule === undefined
        ? isHeld(pair, keyColumn, fit, share, held.distinct)
        : byRule && (isKey || pattern === 'same name');
  if (!isReference) return undefined;
  return {
    from,
    columns: [column.name],
    to,
    key: [key],
    filled: held.filled,
    nulls: own.nulls,
    matched: held.matched,
    fromDistinct: own.distinct,
    toDistinct: keyColumn.distinct,
    fit,
    score: share + fit * 0.2 + (isKey ? 0.1 : 0) + called(column.name, to) * 0.05,
  };
}

/**
 * Whether a column may refer at all: one that tells its own rows apart does only where its name says to what.
 */
function mayRefer({ from, column, own, to, key }: Pair, fit: Fit, isKey: boolean): boolean {
  const isUnique = own.distinct === own.rowCount - own.nulls && own.rowCount > 1;
  if (isUnique && own.type.kind === 'date') return false;
  if (isOwnKey(from, column.name)) {
    if (fit < FIT.whole || !isKey) return false;
    // Of two tables with one key the one that is called like it refers to the other, which says more of it.
    return (
      wordsOf(column.name).join() !== wordsOf(key).join() ||
      called(column.name, to) <= called(column.name, from)
    );
  }
  // The name of a member is no reference to another table's member of that name.
  return !(isUnique && fit < FIT.whole && !isCodeLike(column.name)) && !isGivenName(key + column.name);
}

const isCodeLike = (name: string): boolean => subjectOf(name).isCode || isGivenName(name);

/** Whether names and values together say that values are those of the other table. */
function isHeld(
  { column, own, type, pattern }: Pair,
  keyColumn: Column,
  fit: Fit,
  share: number,
  distinct: number,
): boolean {
  if (pattern === 'values alone') return share >= ALL_BUT_FEW && own.distinct >= SEVERAL;
  const isCode = isCodeLike(column.name);
  const chance = chanceOf(own, keyColumn);
  const isUnlikely = chance <= UNLIKELY && distinct >= SEVERAL;
  if (fit === FIT.whole) return isCode || type.kind === 'text' || isUnlikely || coverage(keyColumn, distinct);
  if (fit === FIT.ending)
    return isCode
      ? true
      : share >= NEARLY_ALL &&
          (type.kind === 'text' ? chance < 1 : isUnlikely || coverage(keyColumn, distinct));
  if (fit === FIT.head) return share >= NEARLY_ALL;
  // Only the values say so: texts that are held by no accident, and numbers that are named as codes.
  return type.kind === 'text'
    ? share > NEARLY_ALL && isUnlikely
    : isCode && share >= ALL_BUT_FEW && isUnlikely;
}

/**
 * So much of the other table's values occurs that small numbers are no accident: half of them, and several.
 */
const coverage = (key: Column, distinct: number): boolean =>
  distinct >= SEVERAL && distinct * 2 >= key.distinct;

/** How much a column is called like a table. */
const called = (column: string, table: Table): number =>
  nameLikeness(subjectOf(column).words.join('_'), table.name);

const isOwnKey = (table: Table, column: string): boolean =>
  table.key?.length === 1 && sameName(table.key[0]!, column);

/** Whether a name follows the rule that was chosen; undefined where none was. */
function fitsPattern(pattern: ReferencePattern, column: string, to: Table, key: string): boolean | undefined {
  const words = (name: string) => wordsOf(name).join('_');
  if (pattern === 'same name') return words(column) === words(key);
  if (pattern === 'table and key') return words(column) === `${words(to.name)}_${words(key)}`;
  return undefined;
}
