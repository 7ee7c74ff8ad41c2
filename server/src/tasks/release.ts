import { dirname } from 'node:path';
import type { Proof, ReleasePlan } from '@crease/contract';
import type { JudgedClaim } from '@crease/core/claims';
import { againstDefinitions, judgeModel, refusalOfDefinitions } from '@crease/core/claims';
import type { ReleaseTarget } from '@crease/core/model';
import { DataError } from '@crease/core/query';
import type { ReleaseOrder } from '../release/contents.ts';
import type { ReleaseOutcome } from '../release/plan.ts';
import { ProofError } from '../release/plan.ts';
import type { Way } from '../release/way.ts';
import { wayTo } from '../release/way.ts';
import type { ModelVersion } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { makeData } from './modelRows.ts';

interface Input extends ModelVersion {
  readonly target: ReleaseTarget;
  /** As they are judged; undefined of an earlier revision, whose claims are judged before it is released. */
  readonly claims: readonly JudgedClaim[] | undefined;
  /** Of the revision. */
  readonly number: number;
  readonly author: string | null;
  readonly at: string;
  readonly definitions: boolean;
  readonly parts: readonly { readonly table: string; readonly part: string }[];
}

function prepared(input: Input, tell: (step: string) => void): { way: Way; order: ReleaseOrder } {
  // Paths of targets lie in the folder of the workspace: they come over HTTP.
  const where = { folder: dirname(input.workspace), allowPath: false, environment: process.env };
  const data = makeData(input);
  const claims = input.claims ?? judgeModel(data.model, data, input.day);
  const refusal = input.claims ? undefined : refusalOfDefinitions(againstDefinitions(claims));
  if (refusal !== undefined) throw new DataError(`revision ${input.number}: ${refusal}`);
  return {
    way: wayTo(input.target, where),
    order: {
      data,
      claims,
      document: input.document,
      revision: input.number,
      author: input.author,
      now: new Date(input.at),
      definitionsOnly: input.definitions,
      parts: input.parts,
      tell,
    },
  };
}

/** What a release would do at its target. */
export const releasePlan = task((input: Input): Promise<ReleasePlan> => {
  const { way, order } = prepared(input, () => undefined);
  return way.plan(order);
});

/** Releases, and tells each step before it begins. A proof that fails is a result, with what differs. */
export const release = task<
  Input,
  ReleaseOutcome | { readonly failed: Proof; readonly message: string },
  string
>(async (input, ways) => {
  const { way, order } = prepared(input, (step) => {
    if (ways.isStopped()) throw new DataError('cancelled');
    ways.send(step);
  });
  try {
    return await way.run(order);
  } catch (error) {
    if (error instanceof ProofError) return { failed: error.proof, message: error.message };
    throw error;
  }
});
