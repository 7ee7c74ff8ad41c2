import { DATE, formatDate, textReader } from '../../values/index.ts';
import type { Json } from '../../query/index.ts';
import { columnValues } from '../../columns/index.ts';
import { counting } from '../../sql/index.ts';
import { offendingRows } from '../offenders.ts';
import type { Evidence, SampleRow } from '../evidence.ts';
import { SAMPLE_SIZE } from '../evidence.ts';
import type { CountInSql } from './bySql.ts';
import { numberOf } from './bySql.ts';
import type { Counted, DaysCount, RunCount } from './count.ts';
import { repeatedInSql } from './repeated.ts';

export const countDays: RunCount<DaysCount> = ({ table, column: name }, data) => {
  const column = data.column(table, name);
  const values = columnValues(column);
  const days = values
    .filter((value, code): value is number => value !== null && column.counts[code]! > 0)
    .sort((a, b) => a - b);
  const repeated = offendingRows(
    data.table(table),
    column.rowCount,
    [column],
    (row) => column.codes[row] !== 0 && column.counts[column.codes[row]!]! > 1,
  );
  const gaps = days.slice(1).map((next, i): Gap => ({ day: days[i]!, next }));
  return together(repeated, days.at(0), days.at(-1), days.length, gaps);
};

/** Two days of a calendar that follow each other. */
interface Gap {
  readonly day: number;
  readonly next: number;
}

/** `days` are different ones; `gaps` those of interest, in order. */
function together(
  repeated: Evidence,
  first: number | undefined,
  last: number | undefined,
  days: number,
  gaps: readonly Gap[],
): Counted {
  const missing = first === undefined || last === undefined ? 0 : last - first + 1 - days;
  const listed: SampleRow[] = [];
  for (const { day, next } of gaps)
    for (let at = day + 1; at < next && listed.length < SAMPLE_SIZE; at++)
      listed.push({ values: { missing: formatDate(at) }, rows: 0 });
  return {
    checked: repeated.checked,
    against: missing + repeated.against,
    distinct: missing + (repeated.distinct ?? 0),
    sample: [...listed, ...(repeated.sample ?? [])].slice(0, SAMPLE_SIZE),
    tally: { missing, first: first ?? 0, last: last ?? 0 },
  };
}

const dayOf = (cell: Json | undefined): number | undefined =>
  typeof cell === 'string' ? (textReader(DATE)(cell) as number) : undefined;

export const daysInSql: CountInSql<DaysCount> = {
  whole: async ({ table, column }, asker) => {
    const rows = asker.on(table);
    const day = rows.own(column);
    const columns = [
      { name: 'first', sql: `min(${day.sql})`, type: DATE },
      { name: 'last', sql: `max(${day.sql})`, type: DATE },
      counting('days', `count(distinct ${day.sql})`),
    ];
    const [found] = await asker.ask(rows.compiled(rows.rows(columns), columns));
    const repeated = await repeatedInSql.whole({ count: 'repeated', table, columns: [column] }, asker);
    const [first, last, days] = [dayOf(found![0]), dayOf(found![1]), numberOf(found![2])];
    const isWhole = first === undefined || last === undefined || last - first + 1 === days;
    return together(repeated, first, last, days, isWhole ? [] : await firstGaps());

    async function firstGaps(): Promise<Gap[]> {
      const own = asker.on(table);
      const value = own.own(column);
      const distinct = own.rows([{ name: 'day', ...value }], `where ${value.sql} is not null\ngroup by 1`);
      const following = `select day, lead(day) over (order by day) as next from (${distinct}) d`;
      const select = `select day, next from (${following}) f where next > ${own.dialect.addDays('day', '1')} order by day limit ${SAMPLE_SIZE}`;
      const gaps = await asker.ask(
        own.compiled(select, [
          { name: 'day', type: DATE },
          { name: 'next', type: DATE },
        ]),
      );
      return gaps.map(([from, next]) => ({ day: dayOf(from)!, next: dayOf(next)! }));
    }
  },
};
