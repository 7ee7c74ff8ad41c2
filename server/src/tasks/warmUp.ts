import { answerQuery, DataError, usualQuestions } from '@crease/core/query';
import { rowsBehind } from '@crease/core/rows';
import type { ModelVersion } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { dataOf } from './modelRows.ts';

/** Rows from which a fact's first question takes longer than one notices. */
const LARGE_ROWS = 200_000;

/**
 * Asks the usual questions of a model, so that columns are decoded and relationships indexed when somebody
 * asks. Tells how many it asked; those that cannot be answered are told to whoever asks them.
 */
export const warmUp = task((version: ModelVersion): number => {
  const data = dataOf(version);
  const questions = usualQuestions(data, LARGE_ROWS);
  for (const [i, query] of questions.entries())
    tried(() => {
      const { rows } = answerQuery(data, query);
      // The rows of a cell need the dictionaries of all columns.
      if (i === 0 && rows.length > 0)
        rowsBehind(data, { query, cells: [{ measure: query.measures[0]!, by: rows[0]!.slice(0, -1) }] });
    });
  return questions.length;
});

/** What cannot be answered is no fault here. */
function tried(act: () => void): void {
  try {
    act();
  } catch (error) {
    if (!(error instanceof DataError)) throw error;
  }
}
