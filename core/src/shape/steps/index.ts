import type { Step, UnfinishedStep, Verb } from '../../model/index.ts';
import { STEP_ARGUMENTS } from '../../model/index.ts';
import type { StateColumn, StepKind } from '../step.ts';
import { aggregate } from './aggregate.ts';
import { derive } from './derive.ts';
import { distinct } from './distinct.ts';
import { filter } from './filter.ts';
import { from } from './from.ts';
import { join } from './join.ts';
import { lookup } from './lookup.ts';
import { number } from './number.ts';
import { off } from './off.ts';
import { pick } from './pick.ts';
import { pivot } from './pivot.ts';
import { sort } from './sort.ts';
import { union } from './union.ts';
import { unpivot } from './unpivot.ts';

/** All verbs. A new step is one file, one entry here and what it takes in the model's `steps.ts`. */
const kinds: { readonly [V in Verb]: StepKind<V> } = {
  from,
  filter,
  pick,
  derive,
  distinct,
  aggregate,
  join,
  lookup,
  union,
  unpivot,
  pivot,
  sort,
  number,
  off,
};

/** A kind whose argument is known to be its own. */
export type AnyStepKind = StepKind<Verb, unknown>;
export const STEP_KINDS = Object.values(kinds) as unknown as readonly AnyStepKind[];

/** A step that can be read: its kind, and its argument by that kind's schema. */
export interface ReadStep {
  readonly kind: AnyStepKind;
  readonly argument: unknown;
}

/** Undefined for a step of no verb, or with an argument that is not its verb's. */
export function readStep(step: Step): ReadStep | undefined {
  const [verb, ...others] = Object.keys(step);
  const kind = STEP_KINDS.find((k) => k.verb === verb);
  if (!kind || others.length > 0) return undefined;
  const parsed = STEP_ARGUMENTS[kind.verb].safeParse((step as UnfinishedStep)[kind.verb]);
  return parsed.success ? { kind, argument: parsed.data } : undefined;
}

/** The step within one that is switched off, or the step itself. */
const shownStep = (step: Step): Step => ('off' in step ? (step.off as Step) : step);

/** What a step does, in a line; of one that is switched off what it would do. */
export function stepText(step: Step): string {
  const shown = shownStep(step);
  const read = readStep(shown);
  if (read) return read.kind.text(read.argument);
  const isKnown = STEP_KINDS.some((k) => k.verb in shown);
  return isKnown ? 'not complete yet' : JSON.stringify(Object.values(shown)[0] ?? null);
}

/** A step of a verb to start from. */
export function emptyStep(verb: string, columns: readonly StateColumn[]): Step {
  const kind = STEP_KINDS.find((k) => k.verb === verb);
  return kind ? { [verb]: kind.empty(columns) } : {};
}
