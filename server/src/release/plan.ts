import type { PlanItem, Proof, ReleasePlan } from '@crease/contract';
import { DataError } from '@crease/core/query';
import { counted } from '@crease/core/values';

export type { PlanItem, Proof, ReleasePlan };

export interface ReleaseOutcome {
  readonly plan: ReleasePlan;
  readonly proof: Proof;
  readonly rows: number;
  readonly seconds: number;
}

/** A target that cannot be released to: what is there, and what to do. */
export class TargetError extends DataError {}

/** A release whose target answers otherwise; nothing of it is visible. */
export class ProofError extends Error {
  constructor(readonly proof: Proof) {
    super(
      `the proof failed, nothing was released: ${proof.differences.slice(0, 5).join('; ')}${proof.differences.length > 5 ? `; and ${proof.differences.length - 5} more` : ''}`,
    );
  }
}

/** A plan as text. */
export function planText(plan: ReleasePlan): string {
  const width = Math.max(0, ...plan.items.map((i) => i.action.length));
  const lines = plan.items.map(
    ({ action, object, rows, loses }) =>
      `  ${action.padEnd(width)}  ${object}${rows === undefined ? '' : `, ${counted(rows, 'row')}`}${loses === undefined ? '' : ` (loses ${loses})`}`,
  );
  const list = (title: string, texts: readonly string[]) =>
    texts.length === 0 ? [] : [`${title}:`, ...texts.map((text) => `  ${text}`)];
  return [
    `release ${plan.release} to ${plan.target}`,
    ...lines,
    ...list('changed there since the last release', plan.drift),
    ...list(
      'left out',
      plan.omitted.map(({ what, claim }) => `${what}, for ${claim} does not hold`),
    ),
    ...list('notes', plan.notes),
    ...list('cannot be done', plan.refusals),
    '',
  ].join('\n');
}
