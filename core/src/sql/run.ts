import type { DataType } from '../values/index.ts';
import { formatExact, formatType, narrow, scaleOf, toJson } from '../values/index.ts';
import type { Goal } from '../model/index.ts';
import type { Answer, AnswerMember, Json, MemberKeys } from '../query/index.ts';
import { DataError, goalColumns, noMemberOf, stateOfNumber } from '../query/index.ts';
import type { CompiledAnswer, CompiledQuery } from './compiled.ts';
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
  const told = (query: CompiledQuery): AnswerMember[][] =>
    ask(query).map((row) => withMembers(row, query, last));
  const rows = limited(told(compiled.rows), compiled);
  const totals = compiled.totals && told(compiled.totals)[0]!;
  return {
    columns: answerColumns(compiled),
    rows: rows.map((row) => answered(row, compiled.rows)),
    ...keysOf(rows, compiled.rows),
    ...(totals && compiled.tellsTotals !== false
      ? { totals: answered(totals, compiled.totals!) as Json[] }
      : {}),
    ...(compiled.subtotals
      ? {
          subtotals: compiled.subtotals.map(({ by, across, query }) => {
            const whole = { rows, query: compiled.rows };
            const shown = shownOf({ rows: told(query), query }, whole, {
              by,
              across,
              byCount: compiled.byCount,
            });
            return { by, across, rows: shown.map((row) => answered(row, query)), ...keysOf(shown, query) };
          }),
        }
      : {}),
    ...(compiled.goals
      ? {
          goals: {
            columns: goalColumns(compiled.goals),
            rows: rows.map((row) => statesOf(row, compiled.rows, compiled.goals!)),
            totals: statesOf(totals!, compiled.totals!, compiled.goals),
          },
        }
      : {}),
    unreached: compiled.unreached,
  };
}

/** A row without what is told beside it. */
const answered = (row: readonly AnswerMember[], { beside }: CompiledQuery): readonly AnswerMember[] =>
  beside === 0 ? row : row.slice(0, row.length - beside);

/** The keys of members whose label is that of others, too. */
function keysOf(
  rows: readonly (readonly AnswerMember[])[],
  { keys }: CompiledQuery,
): { keys?: MemberKeys[] } {
  if (!keys.some((at) => at !== undefined)) return {};
  const keyOf = (row: readonly AnswerMember[], at: number | undefined): Json[] | null =>
    at !== undefined && row[at + 1] === true ? [row[at] as Json] : null;
  return { keys: rows.map((row) => keys.map((at) => keyOf(row, at))) };
}

/** How the values of a row stand to their goals. */
function statesOf(
  row: readonly AnswerMember[],
  { members, targets }: CompiledQuery,
  goals: readonly (Goal | undefined)[],
): (number | null)[] {
  const number = (at: number | undefined): number | null =>
    at === undefined || row[at] === null || row[at] === undefined ? null : Number(row[at]);
  return goals.map((goal, i) => stateOfNumber(goal, number(members + i), number(targets[i])));
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
  subtotals: { readonly rows: readonly (readonly AnswerMember[])[]; readonly query: CompiledQuery },
  whole: { readonly rows: readonly (readonly AnswerMember[])[]; readonly query: CompiledQuery },
  { by, across, byCount }: { by: number; across: number; byCount: number },
): readonly (readonly AnswerMember[])[] {
  const own = [...Array(by + across).keys()];
  const ofBy = own.slice(0, by);
  const inWhole = own.map((p) => (p < by ? p : byCount + p - by));
  const placeOfBy = new Map<string, number>();
  const shown = new Set<string>();
  for (const row of whole.rows) {
    const text = identity(row, whole.query, ofBy);
    if (!placeOfBy.has(text)) placeOfBy.set(text, placeOfBy.size);
    shown.add(identity(row, whole.query, inWhole));
  }
  const place = (row: readonly AnswerMember[]) => placeOfBy.get(identity(row, subtotals.query, ofBy))!;
  return subtotals.rows
    .filter((row) => shown.has(identity(row, subtotals.query, own)))
    .sort((a, b) => place(a) - place(b));
}

/** What tells the members at some places of a row apart, with their keys where these are known. */
const identity = (row: readonly AnswerMember[], { keys }: CompiledQuery, places: readonly number[]): string =>
  JSON.stringify(places.map((p) => [row[p], keys[p] === undefined ? null : row[keys[p]]]));

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
