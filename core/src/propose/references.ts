import type { DataType } from '../values/index.ts';
import { comparable, parseType, TEXT } from '../values/index.ts';
import type { Column } from '../columns/index.ts';
import type { Model, ModelColumn, Table } from '../model/index.ts';
import { sameName } from '../model/index.ts';
import type { ModelData } from '../query/index.ts';
import { isCalendarKey, isCalendarTable } from './calendars.ts';
import { chanceOf, heldBy, mayHold, UNLIKELY } from './held.ts';
import { FIT, nameFit, subjectOf } from './nameFit.ts';
import type { Fit, Subject } from './nameFit.ts';
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

export const sameKind = (a: DataType, b: DataType): boolean =>
  comparable(a, b) && (a.kind === 'text') === (b.kind === 'text');

const NO_REFERENCES: ReadonlySet<DataType['kind']> = new Set(['decimal', 'double', 'boolean', 'timestamp']);

/** Numbers with names that do not fit must be so many to say anything. */
const MANY = 10;

/** Finds what a column refers to; undefined where it refers to nothing. */
export type FindReference = (from: Table, column: ModelColumn) => Candidate | undefined;

/**
 * A finder of references among the tables of a model: of all columns that tell the rows of a table apart it
 * gives the one that a column refers to. What is asked twice is looked for once.
 */
export function referenceFinder(model: Model, data: ModelData, pattern: ReferencePattern): FindReference {
  const targets = model.tables.flatMap((to) => targetsIn(to, data));
  const known = new Map<ModelColumn, Candidate | undefined>();
  return (from, column) => {
    if (!known.has(column)) known.set(column, bestOf(targets, data, from, column, pattern));
    return known.get(column);
  };
}

/** A column that others may refer to: the key of its table, or another in which no value stands twice. */
interface Target {
  readonly to: Table;
  readonly key: string;
  readonly isKey: boolean;
  readonly column: Column;
  /** Whether its days are those of a calendar. */
  readonly hasDays: boolean;
  readonly ofTable: Subject;
  readonly ofKey: Subject;
}

function targetsIn(to: Table, data: ModelData): Target[] {
  if ((to.key ?? []).length === 0) return [];
  const stored = to.columns.filter((c) => c.formula === undefined);
  return stored.flatMap(({ name: key }): Target[] => {
    const column = data.column(to.name, key);
    const isKey = isOwnKey(to, key);
    const isUnique = column.distinct > 1 && column.distinct === column.rowCount - column.nulls;
    if (!isKey && (!isUnique || NO_REFERENCES.has(column.type.kind))) return [];
    const hasDays = isCalendarKey(column) && isCalendarTable(to, data);
    return [{ to, key, isKey, column, hasDays, ofTable: subjectOf(to.name), ofKey: subjectOf(key) }];
  });
}

/** A column that may refer to others. */
interface Source {
  readonly from: Table;
  readonly name: string;
  readonly column: Column;
  readonly type: DataType;
  readonly about: Subject;
  readonly pattern: ReferencePattern;
}

function bestOf(
  targets: readonly Target[],
  data: ModelData,
  from: Table,
  { name, type: declared }: ModelColumn,
  pattern: ReferencePattern,
): Candidate | undefined {
  const column = data.column(from.name, name);
  const type = parseType(declared) ?? TEXT;
  if (column.distinct === 0 || NO_REFERENCES.has(type.kind)) return undefined;
  const source: Source = { from, name, column, type, about: subjectOf(name), pattern };
  return targets
    .filter(({ to }) => to !== from)
    .flatMap((target) => candidate(source, target) ?? [])
    .sort(
      (a, b) => b.score - a.score || called(name, b.to) - called(name, a.to) || b.toDistinct - a.toDistinct,
    )[0];
}

function candidate(source: Source, target: Target): Candidate | undefined {
  const { from, name, column, type, about, pattern } = source;
  const { to, key, isKey, column: other } = target;
  if (!sameKind(type, other.type) || (type.kind === 'date' && !target.hasDays)) return undefined;
  const byRule = fitsPattern(pattern, name, to, key);
  if (byRule === false) return undefined;
  const fit = nameFit(about, target.ofTable, target.ofKey);
  // Who says what a reference is called has said it of keys, too.
  if (byRule === undefined && !mayRefer(source, target, fit)) return undefined;
  const isForValues = byRule === undefined && pattern !== 'values alone' && type.kind !== 'date';
  if (isForValues && fit === FIT.none && !mayHold(column, other)) return undefined;
  const { filled, matched, distinct } = heldBy(column, other);
  const share = matched / Math.max(1, filled);
  if (share < MOST) return undefined;
  if (byRule === undefined && type.kind !== 'date' && !isHeld(source, other, fit, share, distinct))
    return undefined;
  return {
    from,
    columns: [name],
    to,
    key: [key],
    filled,
    nulls: column.nulls,
    matched,
    fromDistinct: column.distinct,
    toDistinct: other.distinct,
    fit,
    score: share + fit * 0.2 + (isKey ? 0.1 : 0) + called(name, to) * 0.05,
  };
}

/**
 * Whether a column may refer at all. One that tells its own rows apart does only where its name says to what;
 * numbers whose name fits nothing do only as codes.
 */
function mayRefer(
  { from, name, column, about, pattern }: Source,
  { to, key, isKey }: Target,
  fit: Fit,
): boolean {
  const isUnique = column.distinct === column.rowCount - column.nulls && column.rowCount > 1;
  if (column.type.kind === 'date') return !isUnique;
  if (isOwnKey(from, name)) {
    if (fit < FIT.whole || !isKey) return false;
    // Of two tables with one key the one that is called like it refers to the other, which says more of it.
    return wordsOf(name).join() !== wordsOf(key).join() || called(name, to) <= called(name, from);
  }
  const isCode = about.isCode || isGivenName(name);
  // The name of a member is no reference to another table's member of that name.
  if (isUnique && fit < FIT.whole && !isCode) return false;
  return fit > FIT.none || column.type.kind === 'text' || isCode || pattern === 'values alone';
}

/** Whether names and values together say that values are those of the other table. */
function isHeld(
  { name, column, type, about, pattern }: Source,
  other: Column,
  fit: Fit,
  share: number,
  distinct: number,
): boolean {
  if (pattern === 'values alone') return share >= ALL_BUT_FEW && column.distinct >= SEVERAL;
  const isCode = about.isCode || isGivenName(name);
  const isText = type.kind === 'text';
  const isUnlikely = () => distinct >= SEVERAL && chanceOf(column, other) <= UNLIKELY;
  if (fit === FIT.whole) return isCode || isText || coverage(other, distinct) || isUnlikely();
  if (fit === FIT.ending && isCode) return true;
  if (fit === FIT.ending)
    return (
      share >= NEARLY_ALL &&
      (isText ? chanceOf(column, other) < 1 : coverage(other, distinct) || isUnlikely())
    );
  if (fit === FIT.head) return share >= NEARLY_ALL;
  // Only the values say so: texts that are held by no accident, and numbers that are named as codes.
  if (isText) return share > NEARLY_ALL && isUnlikely();
  // Any few things are numbered 1, 2, 3 …
  return isCode && share >= ALL_BUT_FEW && isUnlikely() && (distinct >= MANY || coverage(other, distinct));
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
