import type { TryState } from '@crease/contract';
import type { Verdict } from '@crease/core/claims';
import { judgeClaim, listClaims, verdicts } from '@crease/core/claims';
import type { ModelData } from '@crease/core/query';
import { digestOf } from './dependencies.ts';
import type { ModelVersion } from '../store/index.ts';

/** A trial that takes longer tells what it has found. */
const MOST_MS = 4000;

/** `document` is the model with an edit that is not made; `known` is what stands of the claims without it. */
export interface PreviewOrder extends ModelVersion {
  readonly known: Readonly<
    Record<string, { readonly basis: string; readonly verdict: Verdict; readonly against: number }>
  >;
}

/**
 * What an edit would do to the claims, told without making it: those whose verdict or count would change,
 * those that would be made anew, and how many would be made no more. `data` are of the model with the edit;
 * claims that rest on the same as now keep what is known of them.
 */
export function previewEdit(task: PreviewOrder, data: ModelData): TryState {
  const bases = digestOf(task.workspace, data.model, task, data.checker);
  const start = performance.now();
  const listed = listClaims(data.model, data.checker);
  const changes: TryState['changes'] = [];
  let left = 0;
  const open = listed.filter((claim) => {
    const before = task.known[claim.id];
    return !(before && claim.tables.length > 0 && bases.of(claim) === before.basis);
  });
  const judged = open.flatMap((claim) => {
    if (performance.now() - start <= MOST_MS) return [{ claim, judgement: judgeClaim(claim, data) }];
    left++;
    return [];
  });
  const verdictOf = verdicts(judged, data.model, task.day);
  for (const one of judged) {
    const { claim } = one;
    const before = task.known[claim.id];
    const after = { verdict: verdictOf(one).verdict, against: one.judgement.evidence.against };
    if (
      before
        ? before.verdict === after.verdict && before.against === after.against
        : after.verdict !== 'broken'
    )
      continue;
    changes.push({
      id: claim.id,
      says: claim.says,
      weight: claim.weight,
      ...(before ? { before: { verdict: before.verdict, against: before.against } } : {}),
      after,
    });
  }
  const now = new Set(listed.map((c) => c.id));
  return { changes, gone: Object.keys(task.known).filter((id) => !now.has(id)), left };
}
