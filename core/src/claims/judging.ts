import type { FormulaChecker } from '../formula/index.ts';
import type { Model, Query } from '../model/index.ts';
import type { Answer, ModelData } from '../query/index.ts';
import { answerQuery } from '../query/index.ts';
import type { Judgement } from './evidence.ts';
import type { Count, Counted } from './counts/index.ts';
import { runCount, together } from './counts/index.ts';

/** What a judging asks for: something counted, a question answered. */
export type Asked = { readonly count: Count } | { readonly query: Query };

/**
 * How a claim is judged, as steps: it asks for one thing after the other and ends with its judgement. It does
 * not know whether columns or a database answer. What cannot be had ends it from outside.
 */
export type Judging = Generator<Asked, Judgement, unknown>;

/** What is known of the model without looking at rows. */
export interface JudgingFacts {
  readonly model: Model;
  readonly checker: FormulaChecker;
}

export function* askCount(count: Count): Generator<Asked, Counted, unknown> {
  return (yield { count }) as Counted;
}

/** Several counts as one. */
export function* askCounts(counts: readonly Count[]): Generator<Asked, Counted, unknown> {
  const all: Counted[] = [];
  for (const count of counts) all.push(yield* askCount(count));
  return together(all);
}

export function* askAnswer(query: Query): Generator<Asked, Answer, unknown> {
  return (yield { query }) as Answer;
}

/** Judges on encoded columns. Throws DataError where rows cannot be had. */
export function judgeOnColumns(judging: Judging, data: ModelData): Judgement {
  let step = judging.next();
  while (!step.done) {
    const asked = step.value;
    step = judging.next('count' in asked ? runCount(asked.count, data) : answerQuery(data, asked.query));
  }
  return step.value;
}
