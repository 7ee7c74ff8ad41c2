import type { Claim, Judgement, ListedClaim as ClaimInList, Remedy } from '@crease/core/claims';
import { listClaims, remediesOf } from '@crease/core/claims';
import type { ModelData } from '@crease/core/query';
import { digestOf } from './dependencies.ts';
import type { ModelVersion } from '../store/index.ts';
import type { Ways } from '../threads/protocol.ts';
import { judgedOn, orUnreachable } from './oneClaim.ts';
import { JudgingShare } from './share.ts';
import { isDerived } from '@crease/core/model';

/** Judges claims whose basis is not among the known ones. */
export interface JudgeOrder extends ModelVersion {
  readonly known: Readonly<Record<string, { readonly basis: string }>>;
  /** Names of what somebody looks at. */
  readonly interest: readonly string[];
  /** Memory of a JudgingShare: two threads that judge together have the same. */
  readonly share: Int32Array;
  readonly fromBack: boolean;
}

export interface JudgeEnd {
  readonly judged: number;
  readonly stopped: boolean;
}

/** What a judging thread tells: all claims first and how many of them are to be judged, then verdicts. */
export type JudgeMessage =
  | { readonly kind: 'listed'; readonly claims: readonly ListedClaim[]; readonly open: number }
  | { readonly kind: 'judged'; readonly verdicts: readonly FoundVerdict[] };

/**
 * A claim of a revision with what its verdict rests on: a known verdict stands where it rests on the same.
 */
export type ListedClaim = ClaimInList & { readonly basis: string };

export interface FoundVerdict {
  readonly claim: string;
  readonly basis: string;
  readonly judgement: Judgement;
  readonly remedies: readonly Remedy[];
}

/** Asks for remedies of broken claims, by their judgements. */
export interface RemedyOrder extends ModelVersion {
  readonly broken: Readonly<Record<string, Judgement>>;
}

interface Listed {
  readonly claim: Claim;
  readonly basis: string;
}

/** Verdicts are told at least so often. */
const BATCH_MS = 100;

/**
 * A claim about the model alone: it is judged whenever it is listed, which costs less than to know whether it
 * has to be.
 */
const isAboutModel = (claim: Claim): boolean => claim.tables.length === 0;

const tellBug =
  ({ id }: Claim) =>
  (error: unknown): void =>
    void process.stderr.write(`claim ${id}: ${(error as Error).stack ?? String(error)}\n`);

/**
 * Lists the claims of a model and judges those of which no known verdict stands. Two threads may do so at
 * once: they find the same order, the first takes claims from the front and the second from the back, until
 * they meet.
 */
export async function judgeClaims(
  task: JudgeOrder,
  data: ModelData,
  ways: Ways<JudgeMessage>,
  /** Does something with the rows of the model; where they are passed through, with those that it needs. */
  on: <T>(work: (data: ModelData) => T) => Promise<T>,
): Promise<JudgeEnd> {
  const share = new JudgingShare(task.share);
  const bases = digestOf(task.workspace, data.model, task, data.checker);
  const listed = listClaims(data.model, data.checker).map((claim): Listed => ({
    claim,
    basis: isAboutModel(claim) ? `revision ${task.revision}` : bases.of(claim),
  }));
  const stands = ({ claim, basis }: Listed) => task.known[claim.id]?.basis === basis;
  const open = inOrder(
    listed.filter((l) => !stands(l) && !isAboutModel(l.claim)),
    task,
    data,
  );
  if (!task.fromBack) tell(listed, open.length, data, ways);
  const next = () => share.take(open.length, task.fromBack);
  let batch: FoundVerdict[] = [];
  let [count, sent] = [0, performance.now()];
  for (let place = next(); place !== undefined; place = next()) {
    if (ways.isStopped()) return { judged: count, stopped: true };
    const { claim, basis } = open[place]!;
    // One that could not be asked is judged again with the next change.
    const found = await orUnreachable(() => on((rows) => judgedOn(claim, rows, tellBug(claim))));
    batch.push({ claim: claim.id, basis, ...found });
    count++;
    if (performance.now() - sent > BATCH_MS) {
      ways.send({ kind: 'judged', verdicts: batch });
      [batch, sent] = [[], performance.now()];
      await new Promise((resume) => setImmediate(resume));
    }
  }
  ways.send({ kind: 'judged', verdicts: batch });
  return { judged: count, stopped: false };
}

/** All claims, and the verdicts of those about the model alone. */
function tell(listed: readonly Listed[], open: number, data: ModelData, ways: Ways<JudgeMessage>): void {
  ways.send({
    kind: 'listed',
    open,
    claims: listed.map(({ claim, basis }) => ({
      id: claim.id,
      kind: claim.kind,
      subject: claim.subject,
      ref: claim.ref,
      says: claim.says,
      weight: claim.weight,
      about: claim.about,
      basis,
    })),
  });
  ways.send({
    kind: 'judged',
    verdicts: listed
      .filter(({ claim }) => isAboutModel(claim))
      .map(({ claim, basis }) => ({ claim: claim.id, basis, ...judgedOn(claim, data, tellBug(claim)) })),
  });
}

/**
 * Ways out of broken claims whose verdict stands: they are edits to the model as it is now, so they are made
 * again for each revision.
 */
export function remediesFor(
  task: RemedyOrder,
  data: ModelData,
): { claim: string; remedies: readonly Remedy[] }[] {
  return listClaims(data.model, data.checker).flatMap((claim) => {
    const judgement = task.broken[claim.id];
    return judgement ? [{ claim: claim.id, remedies: remediesOf(claim, judgement, data) }] : [];
  });
}

/**
 * What somebody looks at comes first, then what the last change has touched, then what was never judged.
 * Claims about derived tables stand at the end, together: the thread that takes from the back works their
 * rows out once.
 */
function inOrder(open: readonly Listed[], task: JudgeOrder, data: ModelData): Listed[] {
  const wanted = new Set(task.interest.map((name) => name.toLowerCase()));
  const ofDerived = (name: string) => isDerived(data.checker.names.table(name));
  const rank = ({ claim }: Listed): number =>
    claim.about.some((a) =>
      Object.values(a).some((name) => typeof name === 'string' && wanted.has(name.toLowerCase())),
    ) || wanted.has(claim.id.toLowerCase())
      ? 0
      : claim.tables.some(ofDerived)
        ? 3
        : task.known[claim.id] !== undefined
          ? 1
          : 2;
  return open
    .map((l) => ({ l, r: rank(l) }))
    .sort((a, b) => a.r - b.r)
    .map(({ l }) => l);
}
