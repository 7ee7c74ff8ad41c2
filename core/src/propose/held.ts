import type { Value } from '../values/index.ts';
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

/** Values that are tried, spread over all of a column's, before rows are counted. */
const TRIED = 24;
/** The part of them that must be held. */
const SOME = 0.5;

/**
 * Whether it is worth counting rows where no name says that a column refers to another: some of its values
 * are held, and of numbers not by accident. With many tables most pairs of columns end here.
 */
export function mayHold(column: Column, other: Column): boolean {
  if (column.type.kind !== 'text' && chanceOf(column, other) > UNLIKELY) return false;
  const values = sampleOf(column);
  const held = values.filter((value) => {
    const at = codeOfValue(other.domain, value);
    return at > 0 && other.counts[at]! > 0;
  });
  return held.length >= values.length * SOME;
}

/** Values that occur, kept by column: a column is compared with many. */
const valuesByColumn = new WeakMap<Column, readonly NonNullable<Value>[]>();

function valuesOf(column: Column): readonly NonNullable<Value>[] {
  let known = valuesByColumn.get(column);
  if (!known) {
    known = columnValues(column).flatMap((v, code) =>
      code > 0 && v !== null && column.counts[code]! > 0 ? [v] : [],
    );
    valuesByColumn.set(column, known);
  }
  return known;
}

const samples = new WeakMap<Column, readonly NonNullable<Value>[]>();

/** Some of the values that occur, from the least to the greatest. */
function sampleOf(column: Column): readonly NonNullable<Value>[] {
  let known = samples.get(column);
  if (!known) {
    const values = valuesOf(column);
    const step = Math.max(1, Math.floor(values.length / TRIED));
    known = values.filter((_, i) => i % step === 0);
    samples.set(column, known);
  }
  return known;
}

/** With a chance above, values may be held by accident. */
export const UNLIKELY = 0.2;
/** Whole numbers from here on are no count of something by accident. */
const FAR = 1000;
const YEARS = { from: 1500, to: 2200 } as const;

/**
 * How likely a value of this form is held by accident, 0 to 1: the part that a key takes of all values of the
 * form, on average over some values. Nearly any small whole number is among the numbers 1 to 500, any letter
 * among 14,000 codes of one to five letters; a word of ten letters is found by accident nowhere.
 */
export function chanceOf(column: Column, key: Column): number {
  const values = sampleOf(column);
  if (values.length === 0) return 1;
  const chances = column.type.kind === 'text' ? chancesOfTexts(values, key) : chancesOfNumbers(values, key);
  return chances.reduce((sum, c) => sum + c, 0) / chances.length;
}

/** How far around a number it is counted how many keys there are. */
const AROUND = 50;

/** The part of the whole numbers around each value, within the span of the keys, that are keys. */
function chancesOfNumbers(values: readonly NonNullable<Value>[], key: Column): number[] {
  const [least, most] = [Number(values[0]), Number(values.at(-1))];
  if (least >= YEARS.from && most <= YEARS.to) return [1];
  if (least >= FAR) return [0];
  const keys = valuesOf(key);
  const [first, last] = [Number(keys[0]), Number(keys.at(-1))];
  return values.map((value) => {
    const [from, to] = [Math.max(first, Number(value) - AROUND), Math.min(last, Number(value) + AROUND)];
    return (lowerBound(keys, to + 1) - lowerBound(keys, from)) / Math.max(1, to - from + 1);
  });
}

/** The place of the first number that is not below. */
function lowerBound(sorted: readonly NonNullable<Value>[], wanted: number): number {
  let [from, to] = [0, sorted.length];
  while (from < to) {
    const middle = (from + to) >> 1;
    if (Number(sorted[middle]) < wanted) from = middle + 1;
    else to = middle;
  }
  return from;
}

/** How often each form occurs among the values of a key. */
const formsByKey = new WeakMap<Column, ReadonlyMap<string, number>>();

/** The form of a text: its digits and letters as classes. */
const formOf = (text: string): string =>
  text
    .replace(/\d/g, '9')
    .replace(/\p{Lu}/gu, 'A')
    .replace(/\p{Ll}/gu, 'a');
const spaceOf = (form: string): number =>
  [...form].reduce((n, c) => n * (c === '9' ? 10 : c === 'A' || c === 'a' ? 26 : 1), 1);

function chancesOfTexts(values: readonly NonNullable<Value>[], key: Column): number[] {
  let forms = formsByKey.get(key);
  if (!forms) {
    const counts = new Map<string, number>();
    for (const value of valuesOf(key)) {
      const form = formOf(String(value));
      counts.set(form, (counts.get(form) ?? 0) + 1);
    }
    forms = counts;
    formsByKey.set(key, counts);
  }
  return values.map((value) => {
    const form = formOf(String(value));
    return (forms.get(form) ?? 0) / spaceOf(form);
  });
}
