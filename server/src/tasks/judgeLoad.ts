import { judgeClaim, listClaims, verdicts } from '@crease/core/claims';
import { digestOf } from '../judging/dependencies.ts';
import type { PreviewOrder } from '../judging/preview.ts';
import { task } from '../threads/protocol.ts';
import { makeData } from './modelRows.ts';

/**
 * Blocking claims that are broken on rows that are not visible yet, with what is found. Claims that rest on
 * the same as before keep their verdict and are not told.
 */
export const judgeLoad = task((input: PreviewOrder): { id: string; found: string }[] => {
  const data = makeData(input);
  const bases = digestOf(input.workspace, data.model, input, data.checker);
  const judged = listClaims(data.model, data.checker)
    .filter((claim) => input.known[claim.id]?.basis !== bases.of(claim))
    .map((claim) => ({ claim, judgement: judgeClaim(claim, data) }));
  const verdictOf = verdicts(judged, data.model, input.day);
  return judged.flatMap((one) => {
    const { verdict } = verdictOf(one);
    const { claim, judgement } = one;
    const weight = judgement.weight ?? claim.weight;
    if (verdict !== 'broken' || weight !== 'blocks') return [];
    return [{ id: claim.id, found: judgement.found ?? claim.found?.(judgement.evidence) ?? claim.says }];
  });
});
