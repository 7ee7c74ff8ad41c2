import type { DataType } from '../values/index.ts';
import { formatExact, formatType, narrow, scaleOf, toJson } from '../values/index.ts';
import type { Answer, Json, AnswerMember } from '../query/index.ts';
import { DataError, noMemberOf } from '../query/index.ts';
import type { CompiledAnswer } from './compiled.ts';
import { answerColumns } from './compile.ts';
import type { SqlDialect } from './dialect.ts';

/** A database that answers a statement with rows of canonical values. */
export type RunSql = (
  sql: string,
  parameters: readonly (null | number | bigint | string)[],
) => readonly (readonly unknown[])[];

/** The answer of a compiled query (compiled with `exact`) as the columns engine would give it. */
export function answerOf(compiled: CompiledAnswer, dialect: SqlDialect, run: RunSql): Answer {
  const ask = (query: CompiledAnswer['rows']): Json[][] =>
    run(
      query.sql,
      query.parameters.map(({ value, type }) => dialect.bound(value, type)),
    ).map((row) => row.map((cell, i) => cellJson(cell, query.columns[i]!.type)));
  const last = compiled.byCount - 1;
  const all = ask(compiled.rows).map((row) => withMembers(row, compiled.rows, last));
  const rows = limited(all, compiled);
  return {
    columns: answerColumns(compiled),
    rows,
    ...(compiled.totals ? { totals: ask(compiled.totals)[0]! } : {}),
    ...(compiled.subtotals
      ? {
          subtotals: compiled.subtotals.map(({ by, across, query }) => ({
            by,
            across,
            rows: shownOf(
              ask(query).map((row) => withMembers(row, query, last)),
              rows,
              { by, across, byCount: compiled.byCount },
            ),
          })),
        }
      : {}),
    unreached: compiled.unreached,
  };
}

/** The rows of the first tuples of `by`, where the statement lists all. */
function limited(
  rows: readonly (readonly AnswerMember[])[],
  { limit, byCount }: CompiledAnswer,
): readonly (readonly AnswerMember[])[] {
  if (limit === undefined) return rows;
  const first = new Set<string>();
  for (const row of rows) {
    if (first.size === limit) break;
    first.add(JSON.stringify(row.slice(0, byCount)));
  }
  return rows.filter((row) => first.has(JSON.stringify(row.slice(0, byCount))));
}

/** Subtotals of the members that are shown: of `by` in their order. */
function shownOf(
  subtotals: readonly (readonly AnswerMember[])[],
  rows: readonly (readonly AnswerMember[])[],
  { by, across, byCount }: { by: number; across: number; byCount: number },
): readonly (readonly AnswerMember[])[] {
  const placeOfBy = new Map<string, number>();
  const shown = new Set<string>();
  for (const row of rows) {
    const prefix = row.slice(0, by);
    const text = JSON.stringify(prefix);
    if (!placeOfBy.has(text)) placeOfBy.set(text, placeOfBy.size);
    shown.add(JSON.stringify([...prefix, ...row.slice(byCount, byCount + across)]));
  }
  const place = (row: readonly AnswerMember[]) => placeOfBy.get(JSON.stringify(row.slice(0, by)))!;
  return subtotals
    .filter((row) => shown.has(JSON.stringify(row.slice(0, by + across))))
    .sort((a, b) => place(a) - place(b));
}

/** Members that are none say why, where the query tells that apart; the rest of a top says so. */
export function withMembers(
  row: readonly Json[],
  { columns, meetings, others }: CompiledAnswer['rows'],
  last: number,
): AnswerMember[] {
  const width = columns.length - meetings - (others ? 1 : 0);
  const values: AnswerMember[] = row.slice(0, width);
  for (let i = 0; i < meetings; i++) values[i] = noMemberOf(Number(row[width + i])) ?? values[i]!;
  if (others && Number(row.at(-1)) === 1) values[last] = { others: true };
  return values;
}

/** What to say where SQLite cannot hold a number. */
export const BEYOND_64_BITS =
  'a number leaves the 64 bits that SQLite counts with: ask with the columns engine, which counts on';

/** A canonical SQLite value as JSON. Throws DataError for a number that is not exact any more. */
export function cellJson(cell: unknown, type: DataType): Json {
  if (cell === null || cell === undefined) return null;
  switch (type.kind) {
    case 'boolean':
      return Number(cell) !== 0;
    case 'integer':
    case 'decimal': {
      // SQLite turns whole numbers beyond 64 bits into doubles, which are not exact.
      if (typeof cell !== 'bigint') throw new DataError(BEYOND_64_BITS);
      const exact = narrow(cell);
      return type.kind === 'decimal' ? formatExact(exact, scaleOf(type)) : toJson(exact, type);
    }
    case 'double':
      return Number.isFinite(Number(cell)) ? Number(cell) : null;
    case 'timestamp':
      return String(cell).replace(' ', 'T');
    default:
      return String(cell);
  }
}

/**
 * The statements of a compiled query as text, with the values of their parameters in comments; values are
 * never part of a statement.
 */
export function printedSql(
  { rows, totals, subtotals = [], unreached }: CompiledAnswer,
  dialect: SqlDialect,
): string {
  const notes = unreached
    .map(([measure, column]) => `-- ${measure} does not apply: ${column} does not reach it\n`)
    .join('');
  const parts = [
    ...(totals ? [{ title: 'totals', query: totals }] : []),
    ...subtotals.map(({ by, across, query }) => ({
      title: `subtotals of ${by} of by and ${across} of across, of all members`,
      query,
    })),
  ];
  return `${notes}${printed(rows, dialect)}${parts.map((p) => `\n-- ${p.title}\n${printed(p.query, dialect)}`).join('')}`;
}

function printed({ sql, parameters }: CompiledAnswer['rows'], dialect: SqlDialect): string {
  const values = parameters.map(({ value, type }, i) => {
    const text = String(dialect.bound(value, type)).replace(/[\r\n]+/g, ' ');
    return `-- ${dialect.parameter(i + 1, type).replace(/::.*$/, '')} ${formatType(type)}: ${text}\n`;
  });
  return `${values.join('')}${sql};\n`;
}
