import type { DataType } from '../values/index.ts';
import { parseType, TEXT } from '../values/index.ts';
import type { Column } from '../columns/index.ts';
import { columnValues } from '../columns/index.ts';
import type { Model, Table } from '../model/index.ts';
import type { ModelData } from '../query/index.ts';
import { combinations } from '../columns/index.ts';

import { isCodeName } from '../claims/index.ts';
import { isGivenName, isTimePart, nameLikeness, wordsOf } from './names.ts';
import type { Proposal } from './proposal.ts';
import { counted, numberText } from '../values/index.ts';

const MOST_KEY_COLUMNS = 9;
/** Rows on which combinations are tried first. */
const SAMPLE_ROWS = 20_000;

/**
 * Keys of tables that have none: one column, else the fewest of two or three; a few rows that break it are
 * evidence, no hindrance.
 */
export function proposeKeys(model: Model, data: ModelData): Proposal[] {
  return model.tables
    .filter((t) => !t.key?.length && data.rowCount(t.name) > 0)
    .flatMap((t): Proposal[] => {
      const key = findKey(t, data);
      if (!key) return [];
      const rows = data.rowCount(t.name);
      return [
        {
          id: `key:${t.name}`,
          kind: 'key',
          table: t.name,
          says: `${key.columns.join(', ')} ${key.columns.length > 1 ? 'are' : 'is'} the key of ${t.name}`,
          evidence: [
            key.twice === 0
              ? `unique in all ${counted(rows, 'row')}`
              : `unique except ${numberText(key.twice)} of ${counted(rows, 'row')}`,
            'never null',
            ...(key.columns.length > 1 ? [singlesText(key.unique)] : []),
          ],
          edit: [{ do: 'set-table', table: t.name, change: { key: key.columns } }],
        },
      ];
    });
}

/** What is known of single columns where several are the key. */
const singlesText = (unique: readonly string[]): string =>
  unique.length === 0
    ? 'no single column is unique'
    : `${unique.join(', ')} ${unique.length === 1 ? 'is' : 'are'} unique alone, by name and type not a key`;

interface FoundKey {
  readonly columns: string[];
  readonly twice: number;
  /** Single columns that tell all rows apart, and were not taken. */
  readonly unique: readonly string[];
}

function findKey(table: Table, data: ModelData): FoundKey | undefined {
  const rows = data.rowCount(table.name);
  const candidates = table.columns
    .filter((c) => c.formula === undefined)
    .map((c, place): KeyColumn => {
      const [column, type] = [data.column(table.name, c.name), parseType(c.type) ?? TEXT];
      const isNamedAsTable = place === 0 && nameLikeness(c.name, table.name) === 1;
      const sound = isNamedAsTable || isRunningNumber(column, place) ? 2 : soundOf(c.name, type, place);
      return { name: c.name, column, type, place, sound };
    })
    .filter(
      ({ column, type }) => column.nulls === 0 && !['decimal', 'double', 'boolean'].includes(type.kind),
    );
  // A key that a few rows break is still the key: the claim on it will show them.
  const singles = candidates
    .map((k) => ({
      ...k,
      twice: rows - k.column.distinct,
      score: keyScore(k.name, table.name, k.type, k.place) + (hasCodes(k.column) ? 1.5 : 0),
    }))
    .filter(
      ({ twice, name, type, column }) =>
        (twice === 0 && type.kind !== 'timestamp' && !holdsMoments(column)) ||
        (twice <= Math.max(1, rows * 0.002) && keyScore(name, table.name, TEXT, 0) >= 2),
    )
    // An amount may share a word with the table: what is no part of a key comes last.
    .sort((a, b) => Number(b.sound > 0) - Number(a.sound > 0) || b.score - a.score);
  const best = singles[0];
  const unique = table.columns
    .filter((c) => c.formula === undefined)
    .filter((c) => {
      const column = data.column(table.name, c.name);
      return column.nulls === 0 && column.distinct === rows;
    })
    .map((c) => c.name);
  const single = best && { columns: [best.name], twice: best.twice, unique };
  // What is unique but for its name's sake, a label or an amount, is so by accident where columns that sound
  // like keys are together.
  if (single && best.sound > 0) return single;
  const label = single && isNameOfMembers(best, table) ? single : undefined;
  const several = candidates.filter(({ column, type }) => column.distinct > 1 && type.kind !== 'timestamp');
  const sounding = (least: number) =>
    compositeOf(
      several.filter(({ sound }) => sound >= least),
      rows,
    );
  const columns = sounding(2) ?? (label ? undefined : sounding(1));
  return columns ? { columns, twice: 0, unique } : label;
}

/**
 * Whether a label or a number that is unique is the key all the same: the first column, named as a name and
 * nothing more, or as the table. A first name or an amount is unique by accident.
 */
function isNameOfMembers({ name, place, type }: KeyColumn, table: Table): boolean {
  const words = wordsOf(name);
  if (place > 0) return false;
  // A reading at each moment is told by its moment.
  if (type.kind === 'timestamp') return true;
  if (type.kind !== 'text') return false;
  return words.length === 1 || nameLikeness(name, table.name) > 0;
}

interface KeyColumn {
  readonly name: string;
  readonly column: Column;
  readonly type: DataType;
  readonly place: number;
  /** How much its name and type are those of a part of a key, from 0 to 2. */
  readonly sound: number;
}

/** The fewest columns that together tell all rows apart: those that come first of as many. */
function compositeOf(candidates: readonly KeyColumn[], rows: number): string[] | undefined {
  const few = candidates.slice(0, MOST_KEY_COLUMNS);
  for (const size of [2, 3, 4]) {
    for (const combination of subsets(few, size)) {
      const columns = combination.map(({ column }) => column);
      if (columns.reduce((product, c) => product * c.distinct, 1) < rows) continue;
      const sample = Math.min(rows, SAMPLE_ROWS);
      if (combinations(columns, sample).size < sample || combinations(columns, rows).size < rows) continue;
      return combination.map(({ name }) => name);
    }
  }
  return undefined;
}

const LABEL_WORDS = new Set(['name', 'title', 'label', 'description', 'note', 'remark', 'comment']);

/**
 * Days and what is named as a code or a line are like parts of a key, texts may be, labels and amounts are
 * not.
 */
function soundOf(name: string, type: DataType, place: number): number {
  const last = wordsOf(name).at(-1) ?? '';
  if (
    type.kind === 'date' ||
    isCodeName(name) ||
    isTimePart(name) ||
    last === 'line' ||
    (isGivenName(name) && place === 0)
  )
    return 2;
  return type.kind === 'text' && !LABEL_WORDS.has(last) ? 1 : 0;
}

/** Of fewer rows it may be by accident. */
const ENOUGH = 20;

/** Whether a first column numbers the rows, whatever its name: whole numbers without a gap, each once. */
function isRunningNumber(column: Column, place: number): boolean {
  if (place > 0 || column.type.kind !== 'integer' || column.rowCount < ENOUGH) return false;
  if (column.nulls > 0 || column.distinct !== column.rowCount) return false;
  const values = columnValues(column);
  const [least, most] = [Number(values[1]), Number(values.at(-1))];
  return (least === 0 || least === 1) && most - least + 1 === column.rowCount;
}

/** A moment written as text may be unique by accident, but is nobody's key. */
const holdsMoments = (column: Column): boolean =>
  column.type.kind === 'text' && /^\d{4}-\d{2}-\d{2}[ T]\d/.test(String(columnValues(column)[1] ?? ''));

/** Values that are looked at to tell codes. */
const LOOKED_AT = 200;

/**
 * Whether texts are short codes of one length in capitals and digits, which are made to tell members apart.
 */
function hasCodes(column: Column): boolean {
  if (column.type.kind !== 'text') return false;
  const values = columnValues(column)
    .slice(1, 1 + LOOKED_AT)
    .map(String);
  const [first = ''] = values;
  return values.every((v) => v.length === first.length && v.length <= 10 && /^[\p{Lu}\d-]+$/u.test(v));
}

/** Names that sound like a key of the table, and early places, count for a column. */
function keyScore(name: string, table: string, type: DataType, place: number): number {
  const words = wordsOf(name);
  const named = ['id', 'no', 'code', 'key', 'number', 'nr', 'day', 'date', 'barcode'].includes(
    words.at(-1) ?? '',
  )
    ? 2
    : 0;
  const own = nameLikeness(words.slice(0, -1).join('_') || name, table) > 0.6 ? 2 : 0;
  return named + own + (place === 0 ? 1 : 0) - (type.kind === 'timestamp' ? 3 : 0) - place / 100;
}

function* subsets<T>(items: readonly T[], size: number, from = 0): Generator<T[]> {
  if (size === 0) yield [];
  else
    for (let i = from; i <= items.length - size; i++)
      for (const rest of subsets(items, size - 1, i + 1)) yield [items[i]!, ...rest];
}
