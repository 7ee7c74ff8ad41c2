import type { DataType, TextReading, Value } from '../values/index.ts';
import { compareValues, textReader } from '../values/index.ts';
import type { Misfits } from '../columns/index.ts';
import type { Dialect } from './dialect.ts';
import { detectDialect, groupsAbove, transcoder } from './dialect.ts';
import type { FieldSpans } from './scanner.ts';
import { fieldText, Scanner } from './scanner.ts';
import { TextCollector } from './textCollector.ts';
import type { TypeGuess } from './typing.ts';
import { detectNulls, guessNearly, inOrderOf, pointsAsGroups, writtenAs } from './typing.ts';
import type { NamingRule } from './names.ts';
import { mendNames } from './names.ts';
import { bodyStart } from './header.ts';
import { LARGEST_FIELD_BYTES } from './chunkReader.ts';
import { ReadError } from './errors.ts';

/**
 * How a column is read: its type, and how its values are written. What is left out of the latter is found.
 */
export interface Reading extends TextReading {
  readonly type: DataType;
}

/** What somebody says of a file instead of what is guessed. */
export interface Corrections {
  readonly dialect?: Partial<Dialect>;
  /**
   * Texts that stand for null; by default the empty one, and markers that keep a column from being one of
   * numbers or days.
   */
  readonly nulls?: readonly string[];
  readonly naming?: NamingRule;
  /** By place in the file. */
  readonly columns?: ReadonlyMap<number, Reading>;
}

/** What the head of a file tells about one of its columns, before anything is stored. */
export interface ColumnPreview extends TypeGuess {
  /** Mended: never blank, never double. */
  readonly name: string;
  /** As the file writes it. */
  readonly fileName: string;
  /** Its field in a record, from 0. */
  readonly place: number;
  readonly nulls: number;
  readonly distinct: number;
  /** Of texts the most characters that one has. */
  readonly longest?: number;
  /** Up to ten most frequent texts with their rows. */
  readonly frequent: readonly { text: string; rows: number }[];
  /** The least and the greatest value as the file writes them; of texts the first and the last. */
  readonly extremes?: readonly [string, string];
  /**
   * Values that are not of the type, with up to 20 of their texts; stored as null unless the type is
   * corrected.
   */
  readonly misfits: Misfits;
  /**
   * Rows of twelve classes from the least to the greatest value; for text, of its twelve most frequent
   * values.
   */
  readonly distribution: readonly number[];
}

export interface FilePreview {
  /** Of a Parquet file the dialect means nothing: it says itself how it is laid out. */
  readonly format: 'text' | 'parquet';
  readonly dialect: Dialect;
  readonly nulls: readonly string[];
  readonly rows: number;
  /** Whether the preview rests on all rows of the file or on its head only. */
  readonly whole: boolean;
  readonly columns: readonly ColumnPreview[];
  /** The first rows as texts. */
  readonly firstRows: readonly (readonly string[])[];
  /** Rows that would be left out, by line. */
  readonly problems: readonly { line: number; message: string }[];
  /** How names were mended, in plain words. */
  readonly mended: readonly string[];
}

/** The most columns a file may have. */
export const MOST_COLUMNS = 5000;
export const FIRST_ROWS = 50;

/**
 * Looks at the head of a file (or all of it): dialect, names, types, fill, distribution.
 * Throws ReadError for an empty file or one with too many columns.
 */
export function previewFile(head: Uint8Array, whole: boolean, corrected: Corrections = {}): FilePreview {
  if (head.length === 0)
    throw new ReadError('the file is empty: a header line with the column names is expected');
  const dialect = { ...detectDialect(head, whole), ...corrected.dialect };
  const above = dialect.skip ?? 0;
  let names: string[] | undefined;
  let collectors: TextCollector[] = [];
  let rows = 0;
  const lines: number[] = [];
  const firstRows: string[][] = [];
  const problems: { line: number; message: string }[] = [];
  const scanner = new Scanner(
    dialect.delimiter.charCodeAt(0),
    dialect.quote === '' ? 0 : dialect.quote.charCodeAt(0),
    dialect.newline.charCodeAt(0),
    (spans) => {
      const text = (i: number) => fieldText(spans, i, dialect.quote);
      if (!names) {
        if (spans.count > MOST_COLUMNS)
          throw new ReadError(
            `the file has ${spans.count} columns, the most is ${MOST_COLUMNS}: remove some before importing it`,
          );
        names = Array.from({ length: spans.count }, (_, i) =>
          dialect.header ? text(i).trim() : `column_${i + 1}`,
        );
        collectors = names.map(() => new TextCollector());
        if (dialect.header) return;
      }
      if (spans.count === 1 && names.length > 1 && spans.starts[0] === spans.ends[0]) return;
      const message =
        spans.flaw ??
        (spans.count === names.length
          ? tooLong(spans)
          : `${spans.count} fields where ${names.length} are expected`);
      if (message !== undefined) {
        if (problems.length < 100) problems.push({ line: spans.line + above, message });
        return;
      }
      if (firstRows.length < FIRST_ROWS) firstRows.push(names.map((_, i) => shortened(text(i))));
      const encoder = new TextEncoder();
      collectors.forEach((collector, i) => {
        if (!spans.doubled[i]) return collector.add(spans.bytes, spans.starts[i]!, spans.ends[i]!);
        const bytes = encoder.encode(text(i));
        collector.add(bytes, 0, bytes.length);
      });
      lines.push(spans.line + above);
      rows++;
    },
  );
  const recode = transcoder(dialect.encoding);
  const bytes = recode(whole ? head : cutAtLine(head, dialect), whole);
  const start = bodyStart(bytes, dialect);
  if (start === undefined) throw new ReadError(`the file has no line after the ${above} lines to skip`);
  scanner.push(above === 0 ? bytes : bytes.subarray(start));
  scanner.end();
  if (!names) throw new ReadError('the file is empty: a header line with the column names is expected');
  const groups =
    dialect.header && above > 0
      ? groupsAbove(new TextDecoder().decode(bytes.subarray(0, start)), dialect, names.length)
      : undefined;
  const { mendedNames, mended } = mendNames(
    names.map((name, i) => `${groups?.[i] ?? ''} ${name}`.trim()),
    corrected.naming,
  );
  if (groups)
    mended.unshift(
      `the line above the header names groups of columns (${[...new Set(groups.filter((g) => g !== ''))].join(', ')}): they stand before the columns' names`,
    );
  const collected = collectors.map((collector) => countTexts(collector));
  const nulls = corrected.nulls ?? detectNulls(collected.map(({ texts }) => texts));
  const nullTexts = new Set(nulls);
  const look = (texts: CountedTexts, place: number, said = corrected.columns?.get(place)) =>
    previewColumn(
      { name: mendedNames[place]!, fileName: names![place]!, place },
      texts,
      nullTexts,
      (row) => lines[row]!,
      said,
    );
  const alone = collected.map((texts, place) => look(texts, place));
  const commas = alone.some((c) => c.decimalComma);
  const columns = alone.map((column, place) => {
    const ordered = corrected.columns?.has(place) ? undefined : inOrderOf(column, alone);
    if (ordered) return { ...look(collected[place]!, place, ordered), reason: ordered.reason };
    const pointed = column.type.kind === 'decimal' && !column.decimalComma && column.thousands === undefined;
    if (!commas || !pointed || corrected.columns?.has(place)) return column;
    const guess = pointsAsGroups(collected[place]!.texts.filter((text) => !nullTexts.has(text)));
    return guess ? { ...look(collected[place]!, place, guess), reason: guess.reason } : column;
  });
  return { format: 'text', dialect, nulls, rows, whole, columns, firstRows, problems, mended };
}

/**
 * Distinct texts of a column with their rows, and the row in which each first stands. Rows that are null have
 * none.
 */
export interface CountedTexts {
  readonly texts: readonly string[];
  readonly rows: Uint32Array;
  readonly first: Uint32Array;
  readonly rowCount: number;
}

function countTexts(collector: TextCollector): CountedTexts {
  const { texts, codes } = collector.finish();
  const [rows, first] = [new Uint32Array(texts.length), new Uint32Array(texts.length)];
  for (let row = codes.length - 1; row >= 0; row--) {
    rows[codes[row]!]!++;
    first[codes[row]!] = row;
  }
  return { texts, rows, first, rowCount: codes.length };
}

/** Texts of a preview are for looking at. */
export const shortened = (text: string): string => (text.length > 200 ? `${text.slice(0, 199)}…` : text);

function tooLong(spans: FieldSpans): string | undefined {
  if (spans.ends[spans.count - 1]! - spans.starts[0]! <= LARGEST_FIELD_BYTES) return undefined;
  for (let i = 0; i < spans.count; i++) {
    const size = spans.ends[i]! - spans.starts[i]!;
    if (size > LARGEST_FIELD_BYTES) return `the field has ${size} bytes, the most is ${LARGEST_FIELD_BYTES}`;
  }
  return undefined;
}

/** The head up to its last line end, so that no half record is judged. */
function cutAtLine(head: Uint8Array, dialect: Dialect): Uint8Array {
  if (dialect.encoding.startsWith('utf-16')) return head.subarray(0, head.length & ~1);
  const end = head.lastIndexOf(dialect.newline.charCodeAt(0));
  return end < 0 ? head : head.subarray(0, end + 1);
}

/** What is told of a column whose values are known as texts; `lines` has the line of each row. */
export function previewColumn(
  named: Pick<ColumnPreview, 'name' | 'fileName' | 'place'>,
  { texts, rows, first, rowCount }: CountedTexts,
  nulls: ReadonlySet<string>,
  lines: (row: number) => number,
  said: Reading | undefined,
): ColumnPreview {
  const filled = texts
    .map((text, i) => ({ text, rows: rows[i]!, line: lines(first[i]!) }))
    .filter(({ text }) => !nulls.has(text));
  const guess: TypeGuess = said
    ? { ...writtenAs(said, filled), reason: 'as you say' }
    : guessNearly(filled, named.name);
  const read = textReader(guess.type, guess);
  const fits = filled.map(({ text }) => read(text) !== undefined);
  const bad = filled.filter((_, i) => !fits[i]).sort((a, b) => b.rows - a.rows || a.line - b.line);
  const good = filled.filter((_, i) => fits[i]);
  const frequent = [...filled].sort((a, b) => b.rows - a.rows).slice(0, 12);
  const extremes = extremesOf(
    good.map(({ text }) => text),
    read,
  );
  return {
    ...named,
    ...guess,
    nulls: rowCount - filled.reduce((sum, { rows: n }) => sum + n, 0),
    distinct: filled.length,
    ...(guess.type.kind === 'text'
      ? { longest: good.reduce((most, { text }) => Math.max(most, charactersOf(text)), 0) }
      : {}),
    frequent: frequent.slice(0, 10).map(({ text, rows: n }) => ({ text: shortened(text), rows: n })),
    ...(extremes ? { extremes } : {}),
    misfits: {
      rows: bad.reduce((sum, { rows: n }) => sum + n, 0),
      distinct: bad.length,
      sample: bad
        .slice(0, 20)
        .map(({ text, rows: n, line }) => ({ text: shortened(text), rows: n, lines: [line] })),
    },
    distribution:
      guess.type.kind === 'text' || guess.type.kind === 'boolean'
        ? frequent.map(({ rows: n }) => n)
        : classes(good, read),
  };
}

/** Characters as databases count them: code points. */
const charactersOf = (text: string): number => {
  let count = 0;
  for (const _ of text) count++;
  return count;
};

function extremesOf(
  texts: readonly string[],
  read: (text: string) => Value | undefined,
): [string, string] | undefined {
  if (texts.length === 0) return undefined;
  let [least, greatest] = [texts[0]!, texts[0]!];
  let [low, high] = [read(least)!, read(greatest)!];
  for (const text of texts) {
    const value = read(text)!;
    if (compareValues(value, low) < 0) [least, low] = [text, value];
    if (compareValues(value, high) > 0) [greatest, high] = [text, value];
  }
  return [shortened(least), shortened(greatest)];
}

const CLASSES = 12;

function classes(
  filled: readonly { text: string; rows: number }[],
  read: (text: string) => Value | undefined,
): number[] {
  const places = filled.map(({ text }) => Number(read(text)));
  let [low, high] = [Infinity, -Infinity];
  for (const place of places) {
    if (place < low) low = place;
    if (place > high) high = place;
  }
  const rows = new Array<number>(CLASSES).fill(0);
  places.forEach((place, i) => {
    const index =
      high > low ? Math.min(CLASSES - 1, Math.floor(((place - low) / (high - low)) * CLASSES)) : 0;
    rows[index]! += filled[i]!.rows;
  });
  return rows;
}
