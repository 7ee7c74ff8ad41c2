import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type pg from 'pg';
import { from as copyFrom } from 'pg-copy-streams';
import type { Column } from '@crease/core/columns';
import { columnValues } from '@crease/core/columns';
import { NO_PART } from '@crease/core/load';
import type { Table } from '@crease/core/model';
import { quoted } from '@crease/core/sql';
import { formatExact, isExact, scaleOf, textReader, toText } from '@crease/core/values';
import type { TableContents } from './contents.ts';
import type { TableState } from './proof.ts';

/** Rows and sums at the target. */
export async function stateAt(
  client: pg.Client,
  from: string,
  columns: readonly Column[],
): Promise<TableState> {
  const numbers = columns.filter((c) => isExact(c.type) || c.type.kind === 'double');
  const list = numbers.map((c) => `sum(${quoted(c.name)})::text`);
  const { rows } = await client.query<(string | null)[]>({
    text: `select ${['count(*)::text', ...list].join(', ')} from ${from}`,
    rowMode: 'array',
  });
  const [count, ...sums] = rows[0]!;
  return {
    rows: Number(count),
    sums: Object.fromEntries(
      numbers.map(({ name, type }, i) => {
        const sum = sums[i] ?? null;
        if (sum === null || type.kind !== 'decimal') return [name, sum];
        const exact = textReader({ ...type, precision: 38 })(sum);
        return [name, exact === undefined ? sum : formatExact(exact as bigint, scaleOf(type))];
      }),
    ),
  };
}

/** Rows of a part, as a condition. */
export function partCondition({ partition }: Table, part: string): string {
  const { by, every } = partition!;
  const column = quoted(by);
  const value = `'${part.replaceAll("'", "''")}'`;
  if (part === NO_PART) return `${column} is null`;
  if (every === 'value') return `${column}::text = ${value}`;
  const form = { year: 'YYYY', quarter: 'YYYY-"Q"Q', month: 'YYYY-MM' }[every];
  return `to_char(${column}, '${form}') = ${value}`;
}

const LINES_AT_ONCE = 2000;
const ESCAPES: Readonly<Record<string, string>> = { '\\': '\\\\', '\n': '\\n', '\r': '\\r', '\t': '\\t' };

/** Rows by COPY, straight from codes; gives how many. */
export async function copyRows(
  client: pg.Client,
  place: string,
  { table, columns, rowCount }: TableContents,
  rows?: Uint32Array,
): Promise<number> {
  const texts = columns.map((c) =>
    columnValues(c).map((v) =>
      v === null ? '\\N' : toText(v, c.type).replace(/[\\\n\r\t]/g, (char) => ESCAPES[char]!),
    ),
  );
  const count = rows?.length ?? rowCount;
  function* lines() {
    for (let from = 0; from < count; from += LINES_AT_ONCE) {
      const some = Math.min(LINES_AT_ONCE, count - from);
      yield Array.from({ length: some }, (_, i) => {
        const row = rows ? rows[from + i]! : from + i;
        return `${columns.map((c, k) => texts[k]![c.codes[row]!]).join('\t')}\n`;
      }).join('');
    }
  }
  const list = table.columns.map((c) => quoted(c.name)).join(', ');
  const stream = client.query(copyFrom(`copy ${place} (${list}) from stdin`));
  await pipeline(Readable.from(lines()), stream);
  return count;
}
