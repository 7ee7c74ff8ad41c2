import type { Response } from 'express';
import { answerCsv } from '@crease/core/interchange';
import type { Answer } from '@crease/core/query';
import { answerParquet } from '../rowsParquet.ts';

/** Sends an answer as a file of that name, with its ending. */
export function sendAnswer(
  response: Response,
  answer: Answer,
  as: 'json' | 'csv' | 'parquet',
  name: string,
): void {
  const file = `${name.replace(/[^\p{L}\p{N} ._-]/gu, '_')}.${as}`;
  // JSON is looked at in a browser; the others are saved.
  if (as !== 'json') response.attachment(file);
  if (as === 'json') response.type('application/json').send(JSON.stringify(answer));
  else if (as === 'csv')
    response.type('text/csv').send(answerCsv(answer, { totals: answer.totals !== undefined }));
  else response.type('application/vnd.apache.parquet').send(Buffer.from(answerParquet(answer)));
}
