import type { Edit } from '../edit/index.ts';
import { applyEdit, EditError } from '../edit/index.ts';
import type { Model, Relationship, Waiver } from '../model/index.ts';
import { ownMeasures, sameName, withFamilies } from '../model/index.ts';
import { DataError, Interrupted } from '../query/index.ts';
import type { ModelData } from '../query/index.ts';
import { FormulaChecker } from '../formula/index.ts';
import type { About, Claim, Evidence, Judgement, Remedy, Verdict, Weight } from './claim.ts';
import { restsOn, unchecked } from './claim.ts';
import { CLAIM_KINDS } from './kinds/index.ts';
import { waiversByClaim } from './waivers.ts';
import type { FoundWaiver } from './waivers.ts';

/** A judged claim as screens and the command line show it. */
export interface JudgedClaim {
  readonly id: string;
  readonly kind: string;
  readonly subject: string;
  readonly ref: Claim['ref'];
  /** What should be true. */
  readonly says: string;
  /** What is the case, of a broken claim. */
  readonly found?: string;
  readonly verdict: Verdict;
  readonly weight: Weight;
  readonly evidence: Evidence;
  readonly about: readonly About[];
  readonly remedies: readonly Remedy[];
  readonly waiver?: Waiver;
}

/**
 * All claims that a model makes, in the order of their kinds. Without data, claims that need a table's rows
 * are listed all the same. Measures of period families rest on their bases: whether they can be evaluated is
 * claimed of them, and no more.
 */
export function listClaims(
  model: Model,
  checker: FormulaChecker = new FormulaChecker(withFamilies(model)),
): Claim[] {
  const own = { ...model, measures: [...ownMeasures(model)] };
  return CLAIM_KINDS.flatMap((kind) => kind.list({ model: own, checker }));
}

/**
 * Judges one claim. What cannot be had (a broken formula, rows that are not there) leaves it unchecked, and
 * says why; so does a lookup that found one of several partners, and having no rows to judge. `onError` hears
 * of faults of this program.
 */
export function judgeClaim(claim: Claim, data: ModelData, onError?: (error: unknown) => void): Judgement {
  try {
    const { result, followed } = data.following(() => claim.judge(data));
    const ambiguous = mayBeDoubted(claim, result)
      ? [...followed].find((r) => data.hasSeveralPartners(r))
      : undefined;
    const empty = isEmptyVerdict(claim, result)
      ? (claim.tables.find((name) => data.rowCount(name) === 0) ?? null)
      : undefined;
    return soundJudgement(claim, result, { checker: data.checker, ambiguous, empty });
  } catch (error) {
    return failedJudgement(error, onError);
  }
}

/** What a claim without an answer is judged: unchecked, with the reason. Faults of this program are told. */
export function failedJudgement(error: unknown, onError?: (error: unknown) => void): Judgement {
  if (error instanceof Interrupted) throw error;
  if (error instanceof DataError) return unchecked(error.message, error.reason);
  if (!onError) throw error;
  onError(error);
  const message = error instanceof Error ? error.message : String(error);
  return unchecked(`could not be judged: ${message}`, { code: 'failed' });
}

/** Whether a judgement may rest on a lookup that found one of several partners. */
export const mayBeDoubted = (claim: Claim, judgement: Judgement): boolean =>
  judgement.verdict !== 'unchecked' && !judgement.certain && !claim.takesAnyPartner;

/** With no rows everything holds: that is no verdict. */
export const isEmptyVerdict = (claim: Claim, { verdict, certain, evidence }: Judgement): boolean =>
  verdict === 'holds' && !certain && claim.tables.length > 0 && evidence.checked === 0;

/** What is known of the rows that a judgement rests on. */
interface Ground {
  readonly checker: FormulaChecker;
  /** A relationship along which one of several partners was looked up. */
  readonly ambiguous?: Relationship | undefined;
  /** The table that has no rows, null where none of them is empty; only of a verdict over nothing. */
  readonly empty?: string | null | undefined;
}

/** A judgement with what is the case, or why it is none. */
export function soundJudgement(
  claim: Claim,
  judgement: Judgement,
  { checker, ambiguous, empty }: Ground,
): Judgement {
  if (ambiguous) return restsOn(partnersClaim(ambiguous, checker));
  if (empty !== undefined)
    return unchecked(empty === null ? 'no row has a value to be checked' : `${empty} has no rows`, {
      code: 'empty',
    });
  return withFound(claim, judgement);
}

/**
 * The claim that is broken where a reference meets several rows: that of the key, where it is one, else that
 * of the relationship.
 */
function partnersClaim(r: Relationship, { names }: FormulaChecker): string {
  const table = names.table(r.to.table);
  const key = table?.key ?? [];
  const isKey =
    key.length === r.to.columns.length && key.every((k) => r.to.columns.some((c) => sameName(c, k)));
  return isKey ? `key-unique:${table!.name}` : `cardinality:${r.name}`;
}

const withFound = (claim: Claim, judgement: Judgement): Judgement =>
  judgement.verdict === 'broken' && claim.found
    ? { ...judgement, found: claim.found(judgement.evidence) }
    : judgement;

/** What a presented claim takes from its claim; the server has it from the thread that listed it. */
export type ListedClaim = Pick<Claim, 'id' | 'kind' | 'subject' | 'ref' | 'says' | 'weight' | 'about'>;

interface Judged {
  readonly claim: ListedClaim;
  readonly judgement: Judgement;
}

/**
 * Tells the verdict that counts: a broken claim with a waiver that has not ended is waived, and so is one
 * that rests on a waived one.
 * `today` is a day in ISO 8601.
 */
export function verdicts(
  all: readonly Judged[],
  model: Model,
  today: string,
): (judged: Judged) => { verdict: Verdict; waiver: FoundWaiver | undefined } {
  const waivers = waiversByClaim(
    all.map(({ claim }) => claim),
    model,
  );
  const byId = new Map(all.map((judged) => [judged.claim.id, judged]));
  const isWaived = ({ claim, judgement }: Judged, seen: readonly string[] = []): boolean => {
    if (judgement.verdict === 'broken') {
      const waiver = waivers.get(claim.id)?.waiver;
      return waiver !== undefined && (waiver.until === undefined || waiver.until >= today);
    }
    const { reason } = judgement.evidence;
    const below =
      reason?.code === 'rests-on' && reason.claim !== undefined ? byId.get(reason.claim) : undefined;
    if (!below || below.judgement.verdict === 'holds' || seen.includes(claim.id)) return false;
    return isWaived(below, [...seen, claim.id]);
  };
  return (judged) => ({
    verdict: judged.judgement.verdict !== 'holds' && isWaived(judged) ? 'waived' : judged.judgement.verdict,
    waiver: waivers.get(judged.claim.id),
  });
}

/**
 * Puts judgements, waivers and remedies together. `today` is the day in ISO 8601, for waivers that have
 * ended.
 */
export function present<C extends ListedClaim>(
  all: readonly { readonly claim: C; readonly judgement: Judgement }[],
  model: Model,
  today: string,
  remediesFor: (claim: C, judgement: Judgement) => readonly Remedy[],
): JudgedClaim[] {
  const verdictOf = verdicts(all, model, today);
  return all.map((judged): JudgedClaim => {
    const { claim, judgement } = judged;
    const { verdict, waiver } = verdictOf(judged);
    const notes = [
      ...(judgement.evidence.notes ?? []),
      ...(verdict === 'broken' && waiver?.waiver ? [`its waiver ended on ${waiver.waiver.until}`] : []),
      ...(waiver?.note === undefined ? [] : [waiver.note]),
    ];
    return {
      id: claim.id,
      kind: claim.kind,
      subject: claim.subject,
      ref: claim.ref,
      says: claim.says,
      ...(judgement.found === undefined ? {} : { found: judgement.found }),
      verdict,
      weight: judgement.weight ?? claim.weight,
      evidence: notes.length > 0 ? { ...judgement.evidence, notes } : judgement.evidence,
      about: claim.about,
      remedies: judgement.verdict === 'broken' ? remediesFor(claim, judgement) : [],
      ...(waiver?.waiver ? { waiver: waiver.waiver } : {}),
    };
  });
}

/**
 * Judges all claims that a model makes, on all rows. `model` is as its file has it; `today` is the day in ISO
 * 8601.
 */
export function judgeModel(
  model: Model,
  data: ModelData,
  today: string,
  onError?: (error: unknown) => void,
): JudgedClaim[] {
  const claims = listClaims(model, data.checker);
  const judged = claims.map((claim) => ({ claim, judgement: judgeClaim(claim, data, onError) }));
  return present(judged, model, today, (claim, judgement) => remediesOf(claim, judgement, data));
}

/**
 * The remedies of a broken claim; what cannot be tried, for want of rows or a sound formula, or not be
 * applied, is not offered.
 */
export function remediesOf(claim: Claim, judgement: Judgement, data?: ModelData): readonly Remedy[] {
  try {
    const found = claim.remedies?.(judgement, data) ?? [];
    return data ? found.filter(({ edit }) => canApply(data.model, edit)) : found;
  } catch (error) {
    if (error instanceof DataError)
      return data && error.reason.code === 'passed-through' ? remediesOf(claim, judgement) : [];
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

/**
 * Whether a claim without a verdict stands against a release of definitions: one that blocks and failed, went
 * past a limit or was cancelled, or rests on another that is broken. That no rows have been loaded stands
 * against a release with rows only, and that there are none against nothing.
 */
const standsAgainstDefinitions = ({
  verdict,
  weight,
  evidence,
}: Pick<JudgedClaim, 'verdict' | 'weight' | 'evidence'>): boolean =>
  verdict === 'unchecked' &&
  weight === 'blocks' &&
  evidence.reason?.code !== 'empty' &&
  evidence.reason?.code !== 'not-loaded';

/**
 * Claims that stand against a release of definitions: those that are broken, and those of which it is not
 * known.
 */
export function againstDefinitions<T extends Pick<JudgedClaim, 'verdict' | 'weight' | 'evidence'>>(
  claims: readonly T[],
): { broken: T[]; unjudged: T[] } {
  return {
    broken: claims.filter((c) => c.verdict === 'broken' && c.weight === 'blocks'),
    unjudged: claims.filter(standsAgainstDefinitions),
  };
}

/** Why definitions are not released, with the claims named; undefined where nothing stands against them. */
export function refusalOfDefinitions(against: {
  readonly broken: readonly Pick<JudgedClaim, 'id'>[];
  readonly unjudged: readonly Pick<JudgedClaim, 'id'>[];
}): string | undefined {
  const isBroken = against.broken.length > 0;
  const list = isBroken ? against.broken : against.unjudged;
  if (list.length === 0) return undefined;
  const what = isBroken
    ? 'broken: fix them, or waive them with a reason'
    : 'without a verdict: see what each one needs';
  const names = list.slice(0, 5).map((c) => c.id);
  return `${list.length} ${list.length === 1 ? 'claim that blocks a release is' : 'claims that block a release are'} ${what} (${names.join(', ')}${list.length > names.length ? ', …' : ''})`;
}

/** Reasons that do not make a judging run a failure: nothing was brought in, or another claim is broken. */
const HARMLESS: ReadonlySet<string> = new Set(['not-loaded', 'empty', 'rests-on']);

/**
 * Whether a claim could not be judged though it should have been: it failed, went past a limit or was
 * cancelled.
 */
export const couldNotBeJudged = ({ verdict, evidence }: Pick<JudgedClaim, 'verdict' | 'evidence'>): boolean =>
  verdict === 'unchecked' && !HARMLESS.has(evidence.reason?.code ?? 'failed');
