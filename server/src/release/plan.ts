import type { OmittedConstraint } from '@crease/core/release';

/** What happens to one object of a target. */
export interface PlanItem {
  /** `table loan`, `view …`, `file loan.parquet`. */
  readonly object: string;
  readonly action: 'create' | 'replace' | 'alter' | 'load parts' | 'keep' | 'drop';
  /** To read, and run in this order; rows go between. */
  readonly sql: readonly string[];
  /** Rows that are brought. */
  readonly rows?: number;
  /** What is at the target and will not be. */
  readonly loses?: string;
}

/** What a release would do at its target, before anything is done. */
export interface ReleasePlan {
  readonly target: string;
  /** The number that the release gets. */
  readonly release: number;
  readonly items: readonly PlanItem[];
  /** What somebody else changed there since the last release. */
  readonly drift: readonly string[];
  /** Why it cannot be done. */
  readonly refusals: readonly string[];
  readonly omitted: readonly OmittedConstraint[];
  readonly notes: readonly string[];
}

/** What was compared after a release, before it became visible. */
export interface Proof {
  readonly tables: number;
  readonly questions: number;
  /** Each with both answers; none where the target answers as Crease does. */
  readonly differences: readonly string[];
  readonly notes: readonly string[];
}

export interface ReleaseOutcome {
  readonly plan: ReleasePlan;
  readonly proof: Proof;
  readonly rows: number;
  readonly seconds: number;
}

/** A target that cannot be released to: what is there, and what to do. */
export class TargetError extends Error {}

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
  const whole = new Intl.NumberFormat('en');
  const lines = plan.items.map(
    ({ action, object, rows, loses }) =>
      `  ${action.padEnd(width)}  ${object}${rows === undefined ? '' : `, ${whole.format(rows)} ${rows === 1 ? 'row' : 'rows'}`}${loses === undefined ? '' : ` (loses ${loses})`}`,
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
