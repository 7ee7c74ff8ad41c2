import type { Edit } from '../edit/index.ts';
import { applyEdit, EditError } from '../edit/index.ts';
import type { Model, Waiver } from '../model/index.ts';
import { ownMeasures, withFamilies } from '../model/index.ts';
import { DataError } from '../query/index.ts';
import type { ModelData } from '../query/index.ts';
import { FormulaChecker } from '../formula/index.ts';
import type { About, Claim, Evidence, Judgement, Remedy, Verdict, Weight } from './claim.ts';
import { unchecked } from './claim.ts';
import { CLAIM_KINDS } from './kinds/index.ts';

/** A judged claim as screens and the command line show it. */
export interface JudgedClaim {
  readonly id: string;
  readonly kind: string;
  readonly subject: string;
  readonly says: string;
  readonly verdict: Verdict;
  readonly weight: Weight;
  readonly evidence: Evidence;
  readonly about: readonly About[];
  readonly remedies: readonly Remedy[];
  readonly waiver?: Waiver;
}

/**
 * All claims that a model makes, in the order of their kinds. Without data, claims that need a table's rows are listed all the same. Measures of
 * period families rest on their bases: whether they can be evaluated is claimed of them, and no more.
 */
export function listClaims(
  model: Model,
  checker: FormulaChecker = new FormulaChecker(withFamilies(model)),
): Claim[] {
  const own = { ...model, measures: [...ownMeasures(model)] };
  return CLAIM_KINDS.flatMap((kind) => kind.list({ model: own, checker }));
}

/** Judges one claim. What cannot be had (a broken formula, rows that are not there) leaves it unchecked, and says why. */
export function judgeClaim(claim: Claim, data: ModelData, onError?: (error: unknown) => void): Judgement {
  try {
    return claim.judge(data);
  } catch (error) {
    if (error instanceof DataError) return unchecked(error.message);
    if (onError) {
      onError(error);
      return unchecked(`it could not be judged: ${error instanceof Error ? error.message : String(error)}`);
    }
    throw error;
  }
}

/** The verdict that counts: a broken claim with a waiver that has not ended is waived. `today` is a day in ISO 8601. */
export function verdictAfterWaivers(
  id: string,
  verdict: Judgement['verdict'],
  model: Model,
  today: string,
): Verdict {
  const waiver = (model.waivers ?? []).find((w) => w.claim === id);
  return verdict === 'broken' && waiver !== undefined && (waiver.until === undefined || waiver.until >= today)
    ? 'waived'
    : verdict;
}

/** Puts judgement, waiver and remedies together. `today` is days in ISO 8601, for waivers that have ended. */
export function present(
  claim: Claim,
  judgement: Judgement,
  model: Model,
  today: string,
  data?: ModelData,
): JudgedClaim {
  const waiver = (model.waivers ?? []).find((w) => w.claim === claim.id);
  const verdict = verdictAfterWaivers(claim.id, judgement.verdict, model, today);
  const ended = verdict === 'broken' && waiver !== undefined;
  const evidence = ended
    ? {
        ...judgement.evidence,
        notes: [...(judgement.evidence.notes ?? []), `its waiver ended on ${waiver.until}`],
      }
    : judgement.evidence;
  return {
    id: claim.id,
    kind: claim.kind,
    subject: claim.subject,
    says: claim.says,
    verdict,
    weight: judgement.weight ?? claim.weight,
    evidence,
    about: claim.about,
    remedies: judgement.verdict === 'broken' ? remediesOf(claim, judgement, data) : [],
    ...(waiver ? { waiver } : {}),
  };
}

/** The ways out of a broken claim; what cannot be tried, for want of rows or a sound formula, or not be applied, is not offered. */
export function remediesOf(claim: Claim, judgement: Judgement, data?: ModelData): readonly Remedy[] {
  try {
    const found = claim.remedies?.(judgement, data) ?? [];
    return data ? found.filter(({ edit }) => canApply(data.model, edit)) : found;
  } catch (error) {
    if (error instanceof DataError) return [];
    throw error;
  }
}

/** A calendar that follows another model's, for one, is not mended here. */
function canApply(model: Model, edit: Edit): boolean {
  try {
    applyEdit(model, edit);
    return true;
  } catch (error) {
    if (error instanceof EditError) return false;
    throw error;
  }
}

export interface Summary {
  readonly holds: number;
  readonly broken: number;
  readonly unchecked: number;
  readonly waived: number;
}

export function summarise(claims: readonly { readonly verdict: Verdict }[]): Summary {
  const count = (verdict: Verdict) => claims.filter((c) => c.verdict === verdict).length;
  return {
    holds: count('holds'),
    broken: count('broken'),
    unchecked: count('unchecked'),
    waived: count('waived'),
  };
}
