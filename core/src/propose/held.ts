import type { Column } from '../columns/index.ts';
import { codeOfValue, columnValues } from '../columns/index.ts';

/** How much of a column another one holds. */
export interface Held {
  /** Rows with a value. */
  readonly filled: number;
  /** Of these, rows whose value the other holds. */
  readonly matched: number;
  /** Different values that the other holds. */
  readonly distinct: number;
}

/** Dictionary against dictionary, with the stored counts: no row is read. */
export function heldBy(column: Column, other: Column): Held {
  const values = columnValues(column);
  let [matched, distinct] = [0, 0];
  for (let code = 1; code < values.length; code++) {
    if (column.counts[code] === 0) continue;
    const at = codeOfValue(other.domain, values[code]!);
    if (at > 0 && other.counts[at]! > 0) {
      matched += column.counts[code]!;
      distinct++;
    }
  }
  return { filled: column.rowCount - column.nulls, matched, distinct };
}

/** Values that are looked at for their form. */
const MOST_LOOKED_AT = 500;
/** Whole numbers from here on are no count of something by accident. */
const FAR = 1000;
const YEARS = { from: 1500, to: 2200 } as const;

/**
 * How likely a value of this form is held by accident, 0 to 1: the part that a key takes of all values of the
 * form. Nearly any small whole number is among the numbers 1 to 500, any letter among 14,000 codes of one to
 * five letters; a word of ten letters is found by accident nowhere.
 */
export function chanceOf(column: Column, key: Column): number {
  return column.type.kind === 'text' ? chanceOfTexts(column, key) : chanceOfNumbers(column, key);
}

/** How far around a number it is counted how many keys there are. */
const AROUND = 50;

/** The part of the whole numbers around each value that are keys, on average. */
function chanceOfNumbers(column: Column, key: Column): number {
  const numbersOf = (c: Column): number[] =>
    columnValues(c).flatMap((v, code) => (code > 0 && c.counts[code]! > 0 ? [Number(v)] : []));
  const occurring = numbersOf(column);
  const [least, most] = [occurring[0] ?? 0, occurring.at(-1) ?? 0];
  if (least >= YEARS.from && most <= YEARS.to) return 1;
  if (least >= FAR) return 0;
  const keys = numbersOf(key);
  const [first, last] = [keys[0] ?? 0, keys.at(-1) ?? 0];
  const chances = occurring.slice(0, MOST_LOOKED_AT).map((v) => {
    const [from, to] = [Math.max(first, v - AROUND), Math.min(last, v + AROUND)];
    return (lowerBound(keys, to + 1) - lowerBound(keys, from)) / Math.max(1, to - from + 1);
  });
  return Math.min(1, chances.reduce((sum, c) => sum + c, 0) / Math.max(1, chances.length));
}

/** The place of the first number that is not below. */
function lowerBound(sorted: readonly number[], wanted: number): number {
  let [from, to] = [0, sorted.length];
  while (from < to) {
    const middle = (from + to) >> 1;
    if (sorted[middle]! < wanted) from = middle + 1;
    else to = middle;
  }
  return from;
}

const formsOfKeys = new WeakMap<Column, Map<string, number>>();

/** The form of a text: its digits and letters as classes. */
const formOf = (text: string): string =>
  text
    .replace(/\d/g, '9')
    .replace(/\p{Lu}/gu, 'A')
    .replace(/\p{Ll}/gu, 'a');
const spaceOf = (form: string): number =>
  [...form].reduce((n, c) => n * (c === '9' ? 10 : c === 'A' || c === 'a' ? 26 : 1), 1);

function chanceOfTexts(column: Column, key: Column): number {
  let forms = formsOfKeys.get(key);
  if (!forms) {
    forms = new Map();
    for (const value of columnValues(key).slice(1)) {
      const form = formOf(String(value));
      forms.set(form, (forms.get(form) ?? 0) + 1);
    }
    formsOfKeys.set(key, forms);
  }
  const values = columnValues(column).slice(1, 1 + MOST_LOOKED_AT);
  if (values.length === 0) return 1;
  const chances = values.map((value) => {
    const form = formOf(String(value));
    return (forms.get(form) ?? 0) / spaceOf(form);
  });
  return chances.reduce((sum, c) => sum + c, 0) / chances.length;
}
