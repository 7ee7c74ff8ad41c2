import { datePattern } from '../values/index.ts';
import type { Dialect } from './dialect.ts';
import { detectDialect, transcoder } from './dialect.ts';
import type { FieldSpans } from './scanner.ts';
import { fieldText, Scanner } from './scanner.ts';
import { TextCollector } from './textCollector.ts';
import type { TypeGuess } from './typing.ts';
import { guessType } from './typing.ts';
import { LARGEST_FIELD_BYTES } from './chunkReader.ts';
import { ReadError } from './errors.ts';

/** What the head of a file tells about one of its columns, before anything is stored. */
export interface ColumnPreview extends TypeGuess {
  /** Mended: never blank, never double. */
  readonly name: string;
  /** As the file writes it. */
  readonly fileName: string;
  readonly nulls: number;
  readonly distinct: number;
  /** Up to ten most frequent texts with their rows. */
  readonly frequent: readonly { text: string; rows: number }[];
  /** Rows of twelve classes from the least to the greatest value; for text, of its twelve most frequent values. */
  readonly distribution: readonly number[];
}

export interface FilePreview {
  readonly dialect: Dialect;
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
export const MOST_COLUMNS = 1000;
const FIRST_ROWS = 50;

/**
 * Looks at the head of a file (or all of it): dialect, names, types, fill, distribution.
 * Throws ReadError for an empty file or one with too many columns.
 */
export function previewFile(
  head: Uint8Array,
  whole: boolean,
  corrected: Partial<Dialect> = {},
  nulls: readonly string[] = [''],
): FilePreview {
  if (head.length === 0) throw new ReadError('the file is empty: a header line with the column names is expected');
  const dialect = { ...detectDialect(head, whole), ...corrected };
  let names: string[] | undefined;
  let collectors: TextCollector[] = [];
  let rows = 0;
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
          throw new ReadError(`the file has ${spans.count} columns, the most is ${MOST_COLUMNS}: leave some out before bringing it in`);
        names = Array.from({ length: spans.count }, (_, i) => (dialect.header ? text(i).trim() : `column_${i + 1}`));
        collectors = names.map(() => new TextCollector());
        if (dialect.header) return;
      }
      if (spans.count === 1 && names.length > 1 && spans.starts[0] === spans.ends[0]) return;
      const message =
        spans.flaw ?? (spans.count === names.length ? tooLong(spans) : `${spans.count} fields where ${names.length} are expected`);
      if (message !== undefined) {
        if (problems.length < 100) problems.push({ line: spans.line, message });
        return;
      }
      if (firstRows.length < FIRST_ROWS) firstRows.push(names.map((_, i) => shortened(text(i))));
      const encoder = new TextEncoder();
      collectors.forEach((collector, i) => {
        if (!spans.doubled[i]) return collector.add(spans.bytes, spans.starts[i]!, spans.ends[i]!);
        const bytes = encoder.encode(text(i));
        collector.add(bytes, 0, bytes.length);
      });
      rows++;
    },
  );
  const recode = transcoder(dialect.encoding);
  scanner.push(recode(whole ? head : cutAtLine(head, dialect), whole));
  scanner.end();
  if (!names) throw new ReadError('the file is empty: a header line with the column names is expected');
  const { mendedNames, mended } = mendNames(names);
  const columns = mendedNames.map((name, i) => previewColumn(name, names![i]!, collectors[i]!, new Set(nulls)));
  return { dialect, rows, whole, columns, firstRows, problems, mended };
}

/** Texts of a preview are for looking at. */
const shortened = (text: string): string => (text.length > 200 ? `${text.slice(0, 199)}…` : text);

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

/** Gives blank columns a name and numbers the double ones; says what it did. */
export function mendNames(names: readonly string[]): { mendedNames: string[]; mended: string[] } {
  const taken = new Set<string>();
  const mended: string[] = [];
  const mendedNames = names.map((name, i) => {
    const base = name === '' ? `column_${i + 1}` : name;
    let unique = base;
    for (let n = 2; taken.has(unique.toLowerCase()); n++) unique = `${base}_${n}`;
    taken.add(unique.toLowerCase());
    if (name === '') mended.push(`column ${i + 1} has no name: called "${unique}"`);
    else if (unique !== name) mended.push(`"${name}" stands twice: column ${i + 1} is called "${unique}"`);
    return unique;
  });
  return { mendedNames, mended };
}

function previewColumn(name: string, fileName: string, collector: TextCollector, nulls: ReadonlySet<string>): ColumnPreview {
  const { texts, codes } = collector.finish();
  const counts = new Uint32Array(texts.length);
  for (const code of codes) counts[code]!++;
  const filled = texts.map((text, i) => ({ text, rows: counts[i]! })).filter(({ text }) => !nulls.has(text));
  const guess = guessType(filled.map(({ text }) => text));
  const frequent = [...filled].sort((a, b) => b.rows - a.rows).slice(0, 12);
  return {
    name,
    fileName,
    ...guess,
    nulls: codes.length - filled.reduce((sum, { rows }) => sum + rows, 0),
    distinct: filled.length,
    frequent: frequent.slice(0, 10).map(({ text, rows }) => ({ text: shortened(text), rows })),
    distribution: guess.type.kind === 'text' || guess.type.kind === 'boolean' ? frequent.map(({ rows }) => rows) : classes(filled, guess),
  };
}

const CLASSES = 12;

function classes(filled: readonly { text: string; rows: number }[], guess: TypeGuess): number[] {
  const places = filled.map(({ text }) => (/^\d{1,4}[-/.]\d/.test(text) ? orderOfMoment(text, guess) : Number(text.replace(',', '.'))));
  let [low, high] = [Infinity, -Infinity];
  for (const place of places) {
    if (place < low) low = place;
    if (place > high) high = place;
  }
  const rows = new Array<number>(CLASSES).fill(0);
  places.forEach((place, i) => {
    const index = high > low ? Math.min(CLASSES - 1, Math.floor(((place - low) / (high - low)) * CLASSES)) : 0;
    if (Number.isFinite(index)) rows[index]! += filled[i]!.rows;
  });
  return rows;
}

const orderOfMoment = (text: string, guess: TypeGuess): number => {
  const pattern = guess.pattern ? datePattern(guess.pattern) : undefined;
  if (!pattern) return Number(text.replace(',', '.'));
  return pattern.hasTime ? Number(pattern.parseTimestamp(text) ?? NaN) : (pattern.parseDate(text) ?? NaN);
};
