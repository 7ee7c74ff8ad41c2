/** How a delimited file is laid out. Text is UTF-8 by the time that the scanner sees it. */
export interface Dialect {
  /** One ASCII character. */
  readonly delimiter: string;
  /** One ASCII character, or empty where nothing is quoted. */
  readonly quote: string;
  readonly header: boolean;
  readonly encoding: FileEncoding;
  readonly newline: '\n' | '\r';
}

export type FileEncoding = 'utf-8' | 'utf-16le' | 'utf-16be' | 'windows-1252';

export const DEFAULT_DIALECT: Dialect = { delimiter: ',', quote: '"', header: true, encoding: 'utf-8', newline: '\n' };

/** Bytes that are enough to guess delimiter and header from. */
const GUESSED_BYTES = 1 << 16;
const DELIMITERS = [',', ';', '\t', '|'];

/**
 * Guesses the dialect from the head of a file: the delimiter that cuts the most lines into the same number (two or more) of fields,
 * and a header where the first line holds names, not values. `head` may end in the middle of a line unless `whole`.
 */
export function detectDialect(head: Uint8Array, whole: boolean): Dialect {
  const encoding = detectEncoding(head, whole);
  const cut = head.length > GUESSED_BYTES;
  const text = decodeHead(cut ? head.subarray(0, GUESSED_BYTES) : head, encoding);
  const ended = whole && !cut;
  const newline = !text.includes('\n') && text.includes('\r') ? '\r' : '\n';
  let best = { delimiter: ',', score: -1 };
  for (const delimiter of DELIMITERS) {
    const records = splitHead(text, delimiter, newline, ended);
    if (records.length === 0) continue;
    const width = records[0]!.length;
    const same = records.filter((record) => record.length === width).length;
    const score = width < 2 ? 0 : same / records.length + Math.min(width, 50) / 1000;
    if (score > best.score) best = { delimiter, score };
  }
  const records = splitHead(text, best.delimiter, newline, ended);
  return { delimiter: best.delimiter, quote: '"', header: looksLikeHeader(records), encoding, newline };
}

/** UTF-16 by its byte order mark or its zero bytes, UTF-8 where it is well-formed, else Windows-1252, which reads any byte. */
export function detectEncoding(head: Uint8Array, whole: boolean): FileEncoding {
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

export const decodeHead = (head: Uint8Array, encoding: FileEncoding): string =>
  new TextDecoder(encoding).decode(head, { stream: true }).replace(/^\ufeff/, '');

/** Records of the head as texts; the last, unfinished one is left out. For guessing only: the scanner reads the file. */
function splitHead(text: string, delimiter: string, newline: string, whole: boolean): string[][] {
  const records: string[][] = [];
  let [record, field, quoted, i] = [[] as string[], '', false, 0];
  for (; i < text.length && records.length < 200; i++) {
    const c = text[i]!;
    if (quoted) {
      if (c !== '"') field += c;
      else if (text[i + 1] === '"') field += text[i++]!;
      else quoted = false;
    } else if (c === '"' && field === '') quoted = true;
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

/** A header holds distinct names, none of which looks like a number or a date. */
function looksLikeHeader(records: string[][]): boolean {
  const first = records[0];
  if (!first) return true;
  const names = new Set(first.map((name) => name.trim().toLowerCase()));
  if (!first.some((name) => VALUE_LIKE.test(name.trim()))) {
    // All texts: a header unless the same texts come back as values below it.
    const repeated = first.filter((name, c) => records.slice(1).some((record) => record[c] === name)).length;
    return repeated <= first.length / 2;
  }
  // Blank or double names happen in headers; numbers and dates do not.
  return names.size > 0 && first.every((name) => name.trim() === '' || !VALUE_LIKE.test(name.trim()));
}

/** Turns chunks of a file in any encoding into chunks of UTF-8. */
export function transcoder(encoding: FileEncoding): (chunk: Uint8Array, last: boolean) => Uint8Array {
  if (encoding === 'utf-8') return (chunk) => chunk;
  const decoder = new TextDecoder(encoding, { ignoreBOM: false });
  const encoder = new TextEncoder();
  return (chunk, last) => encoder.encode(decoder.decode(chunk, { stream: !last }));
}
