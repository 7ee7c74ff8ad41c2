import type { StepKind } from '../step.ts';
import { aggregate } from './aggregate.ts';
import { derive } from './derive.ts';
import { distinct } from './distinct.ts';
import { filter } from './filter.ts';
import { join } from './join.ts';
import { lookup } from './lookup.ts';
import { number } from './number.ts';
import { off } from './off.ts';
import { pick } from './pick.ts';
import { sort } from './sort.ts';
import { union } from './union.ts';

/** All verbs. A new step is one file and one entry here. */
export const STEP_KINDS: readonly StepKind<never>[] = [
  filter,
  pick,
  derive,
  distinct,
  aggregate,
  join,
  lookup,
  union,
  sort,
  number,
  off,
] as unknown as readonly StepKind<never>[];
