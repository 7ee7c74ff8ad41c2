import type { Claim, Judgement, Remedy } from '@crease/core/claims';
import { failedJudgement, judgeClaim, remediesOf } from '@crease/core/claims';
import type { ModelData } from '@crease/core/query';
import { DataError } from '@crease/core/query';
import { DatabaseError } from '../databases/reader.ts';

/** A claim's judgement, with the ways out where it is broken. */
export interface Judged {
  readonly judgement: Judgement;
  readonly remedies: readonly Remedy[];
}

/** Judges a claim on these rows; `onError` hears of faults of this program. */
export function judgedOn(claim: Claim, data: ModelData, onError: (error: unknown) => void): Judged {
  const judgement = judgeClaim(claim, data, onError);
  return {
    judgement,
    remedies: judgement.verdict === 'broken' ? remediesOf(claim, judgement, data) : [],
  };
}

/** A claim whose rows cannot be had says why, and the others are judged. */
export async function orUnreachable(judged: () => Promise<Judged>): Promise<Judged> {
  try {
    return await judged();
  } catch (error) {
    const told = error instanceof DatabaseError ? new DataError(error.message, { code: 'failed' }) : error;
    return { judgement: failedJudgement(told), remedies: [] };
  }
}
