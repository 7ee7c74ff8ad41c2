import type { RemedyOrder } from '../judging/judge.ts';
import { remediesFor } from '../judging/judge.ts';
import { task } from '../threads/protocol.ts';
import { dataOf } from './modelRows.ts';

/** Ways out of broken claims, by their judgements. */
export const remedies = task((input: RemedyOrder) => remediesFor(input, dataOf(input)));
