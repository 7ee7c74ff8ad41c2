import type { Answer, AnswerMember } from './answer.ts';

/** The first place where the answers of the two evaluators differ, in words; nothing where they are alike. */
export function answerDifference(columns: Answer, sql: Answer): string | undefined {
  if (columns.rows.length !== sql.rows.length)
    return `${columns.rows.length} rows on columns, ${sql.rows.length} in SQL`;
  const parts = (a: Answer) => [...a.rows, a.totals ?? [], ...(a.subtotals ?? []).flatMap((s) => s.rows)];
  const [own, theirs] = [parts(columns), parts(sql)];
  for (const [i, row] of own.entries()) {
    const other = theirs[i] ?? [];
    if (row.length === other.length && row.every((cell, c) => isSame(cell, other[c]!))) continue;
    return `row ${i + 1}: ${JSON.stringify(row)} on columns, ${JSON.stringify(other)} in SQL`;
  }
  return undefined;
}

/** Exact numbers are the same; doubles to nine digits, as their sums depend on the order of the rows. */
function isSame(a: AnswerMember, b: AnswerMember): boolean {
  if (typeof a === 'number' && typeof b === 'number')
    return a === b || Math.abs(a - b) <= 1e-9 * Math.max(Math.abs(a), Math.abs(b));
  return JSON.stringify(a) === JSON.stringify(b);
}
