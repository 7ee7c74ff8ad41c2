import type { Query } from '../model/index.ts';
import type { Answer, TextOrder } from './answer.ts';
import { answerQuery } from './answer.ts';
import type { ModelData } from './modelData.ts';
import { hearScans } from './scanStages.ts';
import type { ScanStage } from './scanStages.ts';

/** How a question was worked out: each pass over the rows of a table, and what the rest took. */
export interface Explanation {
  readonly stages: readonly ScanStage[];
  /** Checking, listing members, ordering and writing the answer. Milliseconds. */
  readonly restMs: number;
  readonly elapsedMs: number;
  /** Rows of the answer. */
  readonly rows: number;
}

/** Answers a question and tells how. Throws as `answerQuery` does. */
export function explainQuery(
  data: ModelData,
  query: Query,
  texts: TextOrder = 'code points',
): { answer: Answer; explanation: Explanation } {
  const stages: ScanStage[] = [];
  const start = performance.now();
  const answer = hearScans(
    (stage) => void stages.push(stage),
    () => answerQuery(data, query, texts),
  );
  const elapsedMs = performance.now() - start;
  const inStages = stages.reduce((sum, { prepareMs, scanMs }) => sum + prepareMs + scanMs, 0);
  return {
    answer,
    explanation: { stages, restMs: Math.max(0, elapsedMs - inStages), elapsedMs, rows: answer.rows.length },
  };
}
