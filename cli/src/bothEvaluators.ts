import type { Model, Query } from '@crease/core/model';
import { questionOf } from '@crease/core/model';
import type { Answer, AnswerMember, ModelData } from '@crease/core/query';
import { answerQuery, DataError } from '@crease/core/query';
import { answerInSqlite } from '@crease/server/sql';

/** What both evaluators say of a kept trial or a known answer. */
export interface BothAnswers {
  readonly kind: 'trial' | 'known answer';
  readonly name: string;
  /** Null where one of them could not answer. */
  readonly agrees: boolean | null;
  /** Where they differ first, or why there is no comparison. */
  readonly note?: string;
}

/** Answers all kept trials and known answers on columns and in SQL, and compares them. */
export function compareBoth(model: Model, data: ModelData): BothAnswers[] {
  const trials = (model.trials ?? []).map((t) => ({ kind: 'trial' as const, name: t.name, query: t.query }));
  const known = (model.knownAnswers ?? []).flatMap((k) => {
    const query = k.trial === undefined ? questionOf(model, k) : undefined;
    return query ? [{ kind: 'known answer' as const, name: k.name, query }] : [];
  });
  return [...trials, ...known].map(({ query, ...named }) => ({ ...named, ...compared(data, query) }));
}

function compared(data: ModelData, query: Query): Pick<BothAnswers, 'agrees' | 'note'> {
  try {
    const note = difference(answerQuery(data, query), answerInSqlite(data, query));
    return note === undefined ? { agrees: true } : { agrees: false, note };
  } catch (error) {
    if (!(error instanceof DataError)) throw error;
    return { agrees: null, note: error.message };
  }
}

/** The first place where two answers differ, in words. */
function difference(columns: Answer, sql: Answer): string | undefined {
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
