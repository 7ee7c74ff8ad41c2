import { codeReason } from '../claims/index.ts';
import type { Column } from '../columns/index.ts';
import { columnValues } from '../columns/index.ts';
import type { ModelColumn } from '../model/index.ts';
import { nameWords } from '../model/index.ts';
import { isNumeric, parseType, TEXT } from '../values/index.ts';
import { isTimePart } from './names.ts';

/** What the numbers of a column are good for: to be added up, to be averaged, or to describe. */
export interface NumberUse {
  readonly use: 'quantity' | 'attribute';
  readonly aggregate?: 'sum' | 'avg';
  /** Whether the name alone says so: then it is so in whatever table it stands. */
  readonly byName: boolean;
  readonly reason: string;
}

const words = (text: string): ReadonlySet<string> => new Set(text.split(' '));
const attribute = (reason: string): NumberUse => ({ use: 'attribute', byName: true, reason });
const averaged = (reason: string): NumberUse => ({
  use: 'quantity',
  aggregate: 'avg',
  byName: true,
  reason,
});
const summed = (reason: string): NumberUse => ({ use: 'quantity', aggregate: 'sum', byName: true, reason });

/** What a word anywhere in a name says of its numbers; the first list that has one decides. */
const BY_WORD: readonly (readonly [ReadonlySet<string>, NumberUse])[] = [
  [
    words('lat latitude lon lng longitude easting northing xcoord ycoord coordinate'),
    attribute('coordinates are not added up'),
  ],
  [
    words('heading bearing direction azimuth angle dir'),
    attribute('directions are neither added up nor averaged'),
  ],
  [words('year years yr'), attribute('years are not added up')],
  [words('offset'), attribute('offsets are neither added up nor averaged')],
  [
    words('per capita rate rates ratio percent percentage pct share average avg mean median quota'),
    averaged('rates are averaged, not added up'),
  ],
  [words('price prices'), averaged('unit prices are averaged, not added up')],
  [
    words('rating ratings score scores grade gpa stars index expectancy'),
    averaged('ratings and scores are averaged, not added up'),
  ],
  [
    words(
      'temp temperature tmin tmax dewpoint dewp pressure humidity humid wind speed density concentration ph altitude elevation voltage intensity',
    ),
    averaged('measurements are averaged, not added up'),
  ],
  [
    words('min max minimum maximum lowest highest std stddev'),
    averaged('minimums and maximums are not added up'),
  ],
];

/** What the last word of a name says of its numbers. */
const BY_LAST_WORD: readonly (readonly [ReadonlySet<string>, NumberUse])[] = [
  [
    words(
      'type types kind class category status state flag group level rank ranking position pos order sequence seq slot version priority generation stage phase round season episode chapter floor room track district division tract ward precinct zone region lane platform',
    ),
    attribute('by its name a group or a rank'),
  ],
  [
    words('age height weight width length depth size'),
    averaged('by its name a property of each row: averaged, not added up'),
  ],
  [words('open close high low adjclose'), averaged('daily prices are averaged, not added up')],
];

/** Words that say that something was counted, or paid. */
const COUNTED = words(
  'count counts total totals qty quantity amount amounts cost costs sales revenue budget profit income fee fees fine fines votes visits visitors population seats capacity copies units passengers deaths births cases minutes hours seconds',
);

/** What the name of a column of numbers says of them; undefined where it says nothing. */
function byName(name: string): NumberUse | undefined {
  // `amount_2` is an amount.
  const all = nameWords(name).filter((w, i) => i === 0 || !/^\d+$/.test(w));
  const last = all.at(-1) ?? '';
  if (isTimePart(name)) return attribute('a part of a date is not added up');
  if (['is', 'has', 'was', 'are', 'can', 'needs'].includes(all[0] ?? '') && all.length > 1)
    return attribute('by its name a flag');
  // `ptratio` is a ratio too.
  if (/(ratio|percent|pct)$/.test(last)) return averaged('rates are averaged, not added up');
  const found =
    BY_WORD.find(([list]) => all.some((w) => list.has(w)))?.[1] ??
    BY_LAST_WORD.find(([list]) => list.has(last))?.[1];
  if (found) return found;
  if (COUNTED.has(last) || ['num', 'n', 'total'].includes(all[0] ?? ''))
    return summed('by its name a count or an amount');
  return undefined;
}

/** What is known of a column's values before it is asked what they are good for. */
export interface Looked {
  readonly rows: number;
  /** Whether no other value occurs than 0 and 1. */
  readonly isYesOrNo: boolean;
  /** Whether all values are whole numbers that years have. */
  readonly areYears: boolean;
}

/** Rows from which on a column of nothing but 0 and 1 is taken for a flag. */
const ENOUGH = 20;

/** The use of a column of numbers by its name and what occurs; for any other type it is an attribute. */
export function numberUse(name: string, type: string, looked: Looked): NumberUse {
  const { kind } = parseType(type) ?? TEXT;
  if (!isNumeric(parseType(type) ?? TEXT))
    return {
      use: 'attribute',
      byName: false,
      reason: kind === 'text' ? 'text' : `${kind} that describes the row`,
    };
  const said = byName(name);
  if (said) return said;
  if (looked.isYesOrNo && looked.rows >= ENOUGH && kind === 'integer')
    return { use: 'attribute', byName: true, reason: 'only 0 and 1: a flag' };
  if (looked.areYears && looked.rows >= ENOUGH && kind === 'integer')
    return { use: 'attribute', byName: true, reason: 'all values are years' };
  if (kind !== 'integer')
    return { use: 'quantity', aggregate: 'sum', byName: true, reason: 'numbers with decimals' };
  return {
    use: 'quantity',
    aggregate: 'sum',
    byName: false,
    reason: "whole numbers that repeat and have no code's name",
  };
}

/** Whole numbers between are years where several occur and nothing else does. */
const YEARS = { from: 1800, to: 2100 } as const;
const SEVERAL = 3;

/** As `numberUse`, of stored rows: what looks like a code is an attribute. */
export function useByName({ name, type }: Pick<ModelColumn, 'name' | 'type'>, column: Column): NumberUse {
  const kind = (parseType(type) ?? TEXT).kind;
  const code = codeReason(name, kind === 'integer', column);
  if (code !== undefined && kind === 'integer') return { use: 'attribute', byName: true, reason: code };
  const values = columnValues(column);
  const isYesOrNo =
    kind === 'integer' && column.distinct <= 2 && values.slice(1).every((v) => v === 0 || v === 1);
  const [least, most] = [Number(values[1] ?? 0), Number(values.at(-1) ?? 0)];
  return numberUse(name, type, {
    areYears: kind === 'integer' && column.distinct >= SEVERAL && least >= YEARS.from && most <= YEARS.to,
    rows: column.rowCount,
    isYesOrNo,
  });
}
