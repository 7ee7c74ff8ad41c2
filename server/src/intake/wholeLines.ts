import { createReadStream } from 'node:fs';
import { createGunzip } from 'node:zlib';
import type { ReadProblem } from '@crease/core/columns';
import { csvLine } from '@crease/core/interchange';
import type { Dialect } from '@crease/core/reading';
import { isGzip } from '../sources/fileTable.ts';
import { parquetRows } from '../sources/parquetTable.ts';

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
  const reasons = reasonsOf(problems);
  const records = await wholeRecords(file, dialect, reasons.keys());
  return [
    csvLine(['line', 'reason', 'record']),
    ...[...reasons].map(([line, said]) => csvLine([line, said, records.get(line) ?? null])),
  ].join('');
}

/**
 * Rows of a database that were not taken, as a file: why, and the row under the names of its columns. `drawn`
 * has the rows as they came, with a header and `nullText` (which no value contains) for null.
 */
export async function leftOutRowsOfDatabase(
  drawn: string,
  nullText: string,
  problems: readonly ReadProblem[],
): Promise<string> {
  const reasons = reasonsOf(problems);
  const records = await wholeRecords(drawn, { encoding: 'utf-8', quote: '"' }, [1, ...reasons.keys()]);
  const line = (reason: string, at: number) =>
    `${csvLine([reason]).trimEnd()},${(records.get(at) ?? '').replaceAll(nullText, '')}\n`;
  return [line('reason', 1), ...[...reasons].map(([at, said]) => line(said, at))].join('');
}

/** Rows of a Parquet file that were not taken, as a file: which, why, and the row's values. */
export async function leftOutRowsOfParquet(file: string, problems: readonly ReadProblem[]): Promise<string> {
  const reasons = reasonsOf(problems);
  const { names, rows } = await parquetRows(file, new Set(reasons.keys()));
  return [
    csvLine(['row', 'reason', ...names]),
    ...[...reasons].map(([row, said]) => csvLine([row, said, ...(rows.get(row) ?? [])])),
  ].join('');
}

/** What is wrong with each record, in the order of the records; the first ones where there are very many. */
function reasonsOf(problems: readonly ReadProblem[]): ReadonlyMap<number, string> {
  const reasons = new Map<number, string[]>();
  for (const { line, column, message } of problems) {
    if (reasons.size >= MOST_RECORDS && !reasons.has(line)) continue;
    const said = column === undefined ? message : `${column}: ${message}`;
    reasons.set(line, [...(reasons.get(line) ?? []), said]);
  }
  return new Map(
    [...reasons].sort(([a], [b]) => a - b).map(([line, said]) => [line, said.join('; ')] as const),
  );
}
