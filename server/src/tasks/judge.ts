import type { JudgeMessage, JudgeOrder, JudgeEnd } from '../judging/judge.ts';
import { judgeClaims } from '../judging/judge.ts';
import { task } from '../threads/protocol.ts';
import { onRows } from '../grouped/groupedRows.ts';
import { dataOf } from './modelRows.ts';

/** Judges claims whose basis is not among the known ones, and tells each batch of verdicts. */
export const judge = task<JudgeOrder, JudgeEnd, JudgeMessage>((input, ways) =>
  judgeClaims(input, dataOf(input), ways, (work) => onRows(input, work)),
);
