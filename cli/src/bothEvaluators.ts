import type { Model, Query } from '@crease/core/model';
import { questionOf } from '@crease/core/model';
import type { ModelData } from '@crease/core/query';
import { answerDifference, answerQuery, DataError } from '@crease/core/query';
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
    const note = answerDifference(answerQuery(data, query), answerInSqlite(data, query));
    return note === undefined ? { agrees: true } : { agrees: false, note };
  } catch (error) {
    if (!(error instanceof DataError)) throw error;
    return { agrees: null, note: error.message };
  }
}
