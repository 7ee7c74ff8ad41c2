/** How a delimited file is laid out. Text is UTF-8 by the time that the scanner sees it. */
export interface Dialect {
  /** One ASCII character. */
  readonly delimiter: string;
  /** One ASCII character, or empty where nothing is quoted. */
  readonly quote: string;
  readonly header: boolean;
  /** Lines above the header, or above the first row where there is none: a title, a date of export. */
  readonly skip?: number;
  readonly encoding: FileEncoding;
  readonly newline: '\n' | '\r';
}

export type FileEncoding = 'utf-8' | 'utf-16le' | 'utf-16be' | 'windows-1252';

export const DEFAULT_DIALECT: Dialect = {
  delimiter: ',',
  quote: '"',
  header: true,
  encoding: 'utf-8',
  newline: '\n',
};

/** Bytes that are enough to guess delimiter and header from. */
const GUESSED_BYTES = 1 << 16;
const DELIMITERS = [',', ';', '\t', '|'];

/**
 * Guesses the dialect from the head of a file: the delimiter that cuts the most lines into the same number
 * (two or more) of fields, and a header where the first line holds names, not values. `head` may end in the
 * middle of a line unless `whole`.
 */
export function detectDialect(head: Uint8Array, whole: boolean): Dialect {
  const encoding = detectEncoding(head, whole);
  const cut = head.length > GUESSED_BYTES;
  const text = decodeHead(cut ? head.subarray(0, GUESSED_BYTES) : head, encoding);
  const ended = whole && !cut;
  const newline = !text.includes('\n') && text.includes('\r') ? '\r' : '\n';
  let best = { delimiter: ',', quote: '"', score: -1, skip: 0 };
  for (const quote of quotesOf(text))
    for (const delimiter of DELIMITERS) {
      const cut = { delimiter, quote, newline, whole: ended };
      const records = splitHead(text, cut);
      if (records.length === 0) continue;
      const skip = linesAbove(text, cut);
      const below = skip === 0 ? records : splitHead(withoutLines(text, newline, skip), cut);
      const width = below[0]!.length;
      const same = below.filter((record) => record.length === width).length;
      const score = width < 2 ? 0 : same / below.length + Math.min(width, 50) / 1000 - skip / 10_000;
      if (score > best.score) best = { delimiter, quote, score, skip };
    }
  const { delimiter, quote } = best;
  const skip = best.skip + blankLines(withoutLines(text, newline, best.skip), newline);
  const records = splitHead(withoutLines(text, newline, skip), { delimiter, quote, newline, whole: ended });
  const isBelowGroups = namesGroups(records);
  const lines = skip + (isBelowGroups ? 1 : 0);
  return {
    delimiter,
    quote,
    header: isBelowGroups || looksLikeHeader(records),
    ...(lines > 0 ? { skip: lines } : {}),
    encoding,
    newline,
  };
}

/** Single quotes are quotes where fields begin and end with them, and none does with double ones. */
function quotesOf(text: string): readonly string[] {
  const around = (quote: string) =>
    (text.match(new RegExp(`(^|[,;\\t|\\n])${quote}[^${quote}\\n]*${quote}(?=[,;\\t|\\r\\n])`, 'g')) ?? [])
      .length;
  return around("'") > 2 && around('"') === 0 ? ["'"] : ['"'];
}

/** Blank lines that a text begins with. */
function blankLines(text: string, newline: string): number {
  let [at, count] = [0, 0];
  for (;;) {
    const end = text.indexOf(newline, at);
    if (end < 0 || text.slice(at, end).trim() !== '') return count;
    [at, count] = [end + 1, count + 1];
  }
}

interface Cut {
  readonly delimiter: string;
  readonly quote: string;
  readonly newline: string;
  /** Whether the text ends where the file does. */
  readonly whole: boolean;
}

/** The most lines that are taken for a title above the table. */
const MOST_ABOVE = 20;

/**
 * Lines above the table: those before the first line from which on nearly all records have one width of two
 * or more fields, where they themselves have less. A file that is regular from its first line has none.
 */
function linesAbove(text: string, cut: Cut): number {
  const all = splitHead(text, cut);
  const width = mostFrequent(all.map(({ length }) => length));
  if (width < 2 || all.length < 3 || all[0]!.length === width) return 0;
  let rest = text;
  for (let skip = 1; skip <= MOST_ABOVE; skip++) {
    const end = rest.indexOf(cut.newline);
    if (end < 0) return 0;
    rest = rest.slice(end + 1);
    const records = splitHead(rest, cut);
    if (records[0]?.length !== width) continue;
    return records.filter((record) => record.length === width).length > 0.9 * records.length ? skip : 0;
  }
  return 0;
}

function mostFrequent(numbers: readonly number[]): number {
  const counts = new Map<number, number>();
  for (const n of numbers) counts.set(n, (counts.get(n) ?? 0) + 1);
  return [...counts].reduce((a, b) => (b[1] > a[1] ? b : a), [0, 0] as [number, number])[0];
}

function withoutLines(text: string, newline: string, count: number): string {
  let from = 0;
  for (let k = 0; k < count; k++) from = text.indexOf(newline, from) + 1;
  return text.slice(from);
}

/**
 * UTF-16 by its byte order mark or its zero bytes, UTF-8 where it is well-formed, else Windows-1252, which
 * reads any byte.
 */
function detectEncoding(head: Uint8Array, whole: boolean): FileEncoding {
  if (head[0] === 0xff && head[1] === 0xfe) return 'utf-16le';
  if (head[0] === 0xfe && head[1] === 0xff) return 'utf-16be';
  let [evenZeros, oddZeros] = [0, 0];
  const end = Math.min(head.length, 4096);
  for (let i = 0; i < end; i++) {
    if (head[i] !== 0) continue;
    if (i % 2 === 0) evenZeros++;
    else oddZeros++;
  }
  if (oddZeros > end / 5) return 'utf-16le';
  if (evenZeros > end / 5) return 'utf-16be';
  try {
    // `stream` lets a character be cut at the end of the head.
    new TextDecoder('utf-8', { fatal: true }).decode(head, { stream: !whole });
    return 'utf-8';
  } catch (error) {
    if (error instanceof TypeError || (error as Error).name === 'TypeError') return 'windows-1252';
    throw error;
  }
}

const decodeHead = (head: Uint8Array, encoding: FileEncoding): string =>
  new TextDecoder(encoding).decode(head, { stream: true }).replace(/^\ufeff/, '');

/**
 * Records of the head as texts; the last, unfinished one is left out. For guessing only: the scanner reads
 * the file.
 */
function splitHead(text: string, { delimiter, quote, newline, whole }: Cut): string[][] {
  const records: string[][] = [];
  let [record, field, quoted, i] = [[] as string[], '', false, 0];
  for (; i < text.length && records.length < 200; i++) {
    const c = text[i]!;
    if (quoted) {
      if (c !== quote) field += c;
      else if (text[i + 1] === quote) field += text[i++]!;
      else quoted = false;
    } else if (c === quote && field === '') quoted = true;
    else if (c === delimiter) {
      record.push(field);
      field = '';
    } else if (c === newline) {
      record.push(field.replace(/\r$/, ''));
      if (record.length > 1 || record[0] !== '') records.push(record);
      [record, field] = [[], ''];
    } else field += c;
  }
  if (whole && i >= text.length && (record.length > 0 || field !== '')) records.push([...record, field]);
  return records;
}

const VALUE_LIKE = /^$|^[+-]?[\d.,]+$|^\d{1,4}[-/.]\d{1,2}[-/.]\d{1,4}|^(true|false)$/i;

/**
 * A header holds distinct names, none of which looks like a number or a date; or years and other numbers in a
 * row beside names, as the columns of a table that was turned on its side.
 */
function looksLikeHeader(records: string[][]): boolean {
  const first = records[0];
  if (!first) return true;
  if (startsWithCodes(records)) return false;
  const names = first.map((name) => name.trim());
  if (!names.some((name) => VALUE_LIKE.test(name))) {
    // All texts: a header unless the same texts come back as values below it.
    const repeated = first.filter((name, c) => records.slice(1).some((record) => record[c] === name)).length;
    return repeated <= first.length / 2;
  }
  // Blank or double names happen in headers; numbers and dates only in a row.
  return (
    names.every((name) => name === '' || !VALUE_LIKE.test(name)) || isRowOfNumbers(names, records.slice(1))
  );
}

/**
 * Whether the first of two header lines names groups of columns, as merged cells of a sheet do: with blanks
 * where a group goes on, above a line of names, above values. It is no line of the table then.
 */
function namesGroups(records: readonly (readonly string[])[]): boolean {
  const [groups, names, ...below] = records.map((record) => record.map((field) => field.trim()));
  if (!groups || !names || below.length === 0 || groups.length !== names.length) return false;
  const isGroupLine = groups.includes('') && groups.some((group, c) => group !== '' && groups[c + 1] === '');
  if (!isGroupLine || names.some((name) => name === '' || VALUE_LIKE.test(name))) return false;
  const isOfValues = (c: number) => below.every((record) => VALUE_LIKE.test(record[c] ?? ''));
  return names.some((_, c) => isOfValues(c) && below.some((record) => (record[c] ?? '') !== ''));
}

/**
 * The group of each column by the line above the header, blank for none; undefined where that line names no
 * groups. `lines` are the lines above the header.
 */
export function groupsAbove(lines: string, dialect: Dialect, width: number): readonly string[] | undefined {
  const { delimiter, quote, newline } = dialect;
  const last = splitHead(lines, { delimiter, quote, newline, whole: true }).at(-1);
  if (last?.length !== width || width < 2 || last.every((group) => group.trim() === '')) return undefined;
  let group = '';
  return last.map((field) => (group = field.trim() || group));
}

const WHOLE = /^\d{1,4}$/;
/** Numbers of a header must be so many, and go up by one step. */
const LEAST_NUMBERS = 2;

/**
 * Whether the numbers of a first line are names: whole numbers that go up by one step beside at least one
 * name, above values that do not go on in that row, nor are all such numbers themselves.
 */
function isRowOfNumbers(names: readonly string[], below: readonly (readonly string[])[]): boolean {
  const places = names.flatMap((name, c) => (WHOLE.test(name) ? [c] : []));
  const numbers = places.map((c) => Number(names[c]));
  const others = names.filter((_, c) => !places.includes(c));
  if (numbers.length < LEAST_NUMBERS || others.some((name) => name !== '' && VALUE_LIKE.test(name)))
    return false;
  if (others.length === 0 || below.length === 0) return false;
  const step = numbers[1]! - numbers[0]!;
  if (step === 0 || numbers.some((n, i) => i > 0 && n - numbers[i - 1]! !== step)) return false;
  const goesOn = (record: readonly string[]) =>
    places.every(
      (c, i) =>
        WHOLE.test(record[c] ?? '') &&
        (i === 0 || Number(record[c]) - Number(record[places[i - 1]!]) === step),
    );
  return !below.some(goesOn);
}

/** The shape of a code: where its letters and digits are. Undefined for a text that does not have both. */
const shapeOf = (text: string): string | undefined =>
  /\d/.test(text) && /\p{L}/u.test(text) ? text.replace(/\d/g, '9').replace(/\p{L}/gu, 'a') : undefined;

const HAS_WORD = /[\p{L}\p{N}]/u;

/**
 * Whether the first line holds, in some column, a code of just the shape of all that stand below it, or a
 * sign where signs stand below it: it is a row then, no header.
 */
function startsWithCodes(records: string[][]): boolean {
  return records[0]!.some((first, c) => {
    const shape = shapeOf(first);
    const below = records.slice(1).flatMap((record) => record[c] || []);
    if (below.length === 0) return false;
    if (first !== '' && !HAS_WORD.test(first)) return !below.some((text) => HAS_WORD.test(text));
    return shape !== undefined && below.every((text) => shapeOf(text) === shape);
  });
}

/** Turns chunks of a file in any encoding into chunks of UTF-8. */
export function transcoder(encoding: FileEncoding): (chunk: Uint8Array, last: boolean) => Uint8Array {
  if (encoding === 'utf-8') return (chunk) => chunk;
  const decoder = new TextDecoder(encoding, { ignoreBOM: false });
  const encoder = new TextEncoder();
  return (chunk, last) => encoder.encode(decoder.decode(chunk, { stream: !last }));
}
