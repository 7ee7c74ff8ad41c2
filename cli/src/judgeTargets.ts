import { dirname, resolve } from 'node:path';
import type { Claim, JudgedClaim, Judgement } from '@crease/core/claims';
import { unchecked, verdicts } from '@crease/core/claims';
import type { Model, ReleaseTarget } from '@crease/core/model';
import type { ModelData } from '@crease/core/query';
import { DataError } from '@crease/core/query';
import { formatDate } from '@crease/core/values';
import type { ReleaseOrder } from '@crease/server/release';
import { wayTo } from '@crease/server/release';
import { readText, todayOf } from './input.ts';

/**
 * Judges of each target whether what was released there last still stands there: definitions, rows and sums,
 * by the record that the release left. A target that cannot be reached, or that nothing was released to, has
 * no verdict.
 */
export async function judgeTargets(
  modelFile: string,
  { model, claims, data }: { model: Model; claims: readonly JudgedClaim[]; data: ModelData },
): Promise<JudgedClaim[]> {
  const order: ReleaseOrder = {
    data,
    claims,
    document: readText(modelFile, 'model file'),
    revision: null,
    author: null,
    now: new Date(),
    definitionsOnly: false,
    parts: [],
    tell: () => undefined,
  };
  const all: { claim: Claim; judgement: Judgement }[] = [];
  for (const target of model.targets ?? [])
    all.push({ claim: claimOf(target), judgement: await judge(target, modelFile, order) });
  const verdictOf = verdicts(all, model, formatDate(todayOf({ ...model, asOf: undefined })));
  return all.map((one): JudgedClaim => {
    const { id, kind, subject, ref, says, weight, about } = one.claim;
    const { evidence } = one.judgement;
    const { verdict, waiver } = verdictOf(one);
    const found = evidence.against > 0 ? { found: (evidence.notes ?? []).join('; ') } : {};
    const by = waiver && verdict === 'waived' ? { waiver: waiver.waiver } : {};
    return { id, kind, subject, ref, says, weight, about, verdict, evidence, remedies: [], ...found, ...by };
  });
}

const claimOf = ({ name }: ReleaseTarget): Claim => ({
  id: `target-matches:${name}`,
  kind: 'target-matches',
  subject: name,
  ref: { kind: 'target-matches', target: name },
  says: `what was released to ${name} stands there now`,
  weight: 'warns',
  about: [],
  tables: [],
  columns: [],
  parts: null,
  judge: () => {
    throw new TypeError('targets are judged by looking at them');
  },
});

async function judge(target: ReleaseTarget, modelFile: string, order: ReleaseOrder): Promise<Judgement> {
  try {
    const where = { folder: dirname(resolve(modelFile)), allowPath: true, environment: process.env };
    const plan = await wayTo(target, where).plan(order);
    if (plan.release === 1) return unchecked(`nothing was released to ${target.name} yet`, { code: 'empty' });
    return {
      verdict: plan.drift.length > 0 ? 'broken' : 'holds',
      evidence: {
        checked: plan.items.length,
        against: plan.drift.length,
        ...(plan.drift.length > 0 ? { notes: plan.drift } : {}),
      },
    };
  } catch (error) {
    if (!(error instanceof DataError)) throw error;
    return unchecked(error.message, { code: 'failed' });
  }
}
