import { createReadStream } from 'node:fs';
import { createGunzip } from 'node:zlib';
import type { ReadProblem } from '@crease/core/columns';
import { csvLine } from '@crease/core/interchange';
import type { Dialect } from '@crease/core/reading';
import { isGzip } from '../sources/fileTable.ts';

/** Records that are kept as a file, and how long one may be: a record without an end must not fill memory. */
const MOST_RECORDS = 10_000;
const LONGEST = 1 << 20;

/**
 * Records of a delimited file by the lines on which they begin, from 1, word for word. One with line breaks
 * between quotes has all its lines.
 */
export async function wholeRecords(
  file: string,
  { encoding, quote }: Pick<Dialect, 'encoding' | 'quote'>,
  lines: Iterable<number>,
): Promise<Map<number, string>> {
  const wanted = new Set(lines);
  const last = Math.max(0, ...wanted);
  const found = new Map<number, string>();
  const decoder = new TextDecoder(encoding);
  const bytes = createReadStream(file);
  const source: AsyncIterable<Buffer> = isGzip(file) ? bytes.pipe(createGunzip()) : bytes;
  const quotesIn = (text: string) => (quote === '' ? 0 : text.split(quote).length - 1);
  let [line, rest] = [1, ''];
  let open: { at: number; text: string } | undefined;
  const take = (text: string) => {
    if (open) open.text += `\n${text}`;
    else if (wanted.has(line)) open = { at: line, text };
    if (open && (quotesIn(open.text) % 2 === 0 || open.text.length > LONGEST)) {
      found.set(open.at, open.text);
      open = undefined;
    }
    line++;
  };
  for await (const chunk of source) {
    const pieces = (rest + decoder.decode(chunk, { stream: true })).split(/\r\n|\n|\r(?!$)/);
    rest = pieces.pop()!;
    pieces.forEach(take);
    if (line > last && !open) break;
  }
  bytes.destroy();
  if (rest !== '' && (line <= last || open)) take(rest.replace(/\r$/, ''));
  if (open) found.set(open.at, open.text);
  return found;
}

/** Records that were not taken, as a file: on which line each begins, why, and the record word for word. */
export async function leftOutFile(
  file: string,
  dialect: Pick<Dialect, 'encoding' | 'quote'>,
  problems: readonly ReadProblem[],
): Promise<string> {
  const reasons = new Map<number, string[]>();
  for (const { line, column, message } of problems) {
    if (reasons.size >= MOST_RECORDS && !reasons.has(line)) continue;
    const said = column === undefined ? message : `${column}: ${message}`;
    reasons.set(line, [...(reasons.get(line) ?? []), said]);
  }
  const records = await wholeRecords(file, dialect, reasons.keys());
  return [
    csvLine(['line', 'reason', 'record']),
    ...[...reasons]
      .sort(([a], [b]) => a - b)
      .map(([line, said]) => csvLine([line, said.join('; '), records.get(line) ?? null])),
  ].join('');
}
