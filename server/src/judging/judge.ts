import type { Claim, Judgement } from '@crease/core/claims';
import { judgeClaim, listClaims, remediesOf } from '@crease/core/claims';
import type { ModelData } from '@crease/core/query';
import { basesOf } from './dependencies.ts';
import type { JudgeMessage, Task } from '../work/tasks.ts';

type JudgeTask = Extract<Task, { kind: 'judge' }>;
interface Listed {
  readonly claim: Claim;
  readonly basis: string;
}

/** Verdicts are told at least so often. */
const BATCH_MS = 100;

/** A claim about the model alone: it is judged whenever it is listed, which costs less than to know whether it has to be. */
const isAboutModel = (claim: Claim): boolean => claim.tables.length === 0;

const judged = (claim: Claim, data: ModelData): Judgement =>
  judgeClaim(claim, data, (error) =>
    process.stderr.write(`claim ${claim.id}: ${(error as Error).stack ?? String(error)}\n`),
  );

/**
 * Lists the claims of a model and judges those of which no known verdict stands. Two threads may do so at once: they find the same order, the
 * first takes claims from the front and the second from the back, until they meet.
 */
export async function judge(task: JudgeTask, data: ModelData): Promise<{ judged: number; stopped: boolean }> {
  const bases = basesOf(task.workspace, data.model, task, data.checker);
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
  const post = (message: JudgeMessage) => task.port.postMessage(message);
  if (!task.fromBack) tell(listed, open.length, data, post);
  let batch: Extract<JudgeMessage, { kind: 'judged' }>['verdicts'][number][] = [];
  let [count, sent] = [0, performance.now()];
  for (let next = take(task, open.length); next !== undefined; next = take(task, open.length)) {
    if (Atomics.load(task.stop, 0) !== 0) return { judged: count, stopped: true };
    batch.push(verdictOf(open[next]!, data));
    count++;
    if (performance.now() - sent > BATCH_MS) {
      post({ kind: 'judged', verdicts: batch });
      [batch, sent] = [[], performance.now()];
      await new Promise((resume) => setImmediate(resume));
    }
  }
  post({ kind: 'judged', verdicts: batch });
  return { judged: count, stopped: false };
}

const verdictOf = ({ claim, basis }: Listed, data: ModelData) => {
  const judgement = judged(claim, data);
  return {
    claim: claim.id,
    basis,
    judgement,
    remedies: judgement.verdict === 'broken' ? remediesOf(claim, judgement, data) : [],
  };
};

/** The place of the next claim that nobody has taken; undefined where there is none. */
function take({ taken, fromBack }: JudgeTask, count: number): number | undefined {
  // Each thread counts what it has taken; the sum of both never exceeds what there is.
  const place = Atomics.add(taken, 0, 1);
  if (place >= count) return undefined;
  return fromBack ? count - 1 - Atomics.add(taken, 2, 1) : Atomics.add(taken, 1, 1);
}

/** All claims, and the verdicts of those about the model alone. */
function tell(
  listed: readonly Listed[],
  open: number,
  data: ModelData,
  post: (message: JudgeMessage) => void,
): void {
  post({
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
  post({
    kind: 'judged',
    verdicts: listed.filter(({ claim }) => isAboutModel(claim)).map((l) => verdictOf(l, data)),
  });
}

/** Ways out of broken claims whose verdict stands: they are edits to the model as it is now, so they are made again for each revision. */
export function remediesFor(
  task: Extract<Task, { kind: 'remedies' }>,
  data: ModelData,
): { claim: string; remedies: unknown }[] {
  return listClaims(data.model, data.checker).flatMap((claim) => {
    const judgement = task.broken[claim.id] as Judgement | undefined;
    return judgement ? [{ claim: claim.id, remedies: remediesOf(claim, judgement, data) }] : [];
  });
}

/**
 * What somebody looks at comes first, then what the last change has touched, then what was never judged. Claims about derived tables stand at
 * the end, together: the thread that takes from the back works their rows out once.
 */
function inOrder(open: readonly Listed[], task: JudgeTask, data: ModelData): Listed[] {
  const wanted = new Set(task.interest.map((name) => name.toLowerCase()));
  const isDerived = (name: string) => {
    const source = data.checker.names.table(name)?.source;
    return source !== undefined && 'steps' in source;
  };
  const rank = ({ claim }: Listed): number =>
    claim.about.some((a) =>
      Object.values(a).some((name) => typeof name === 'string' && wanted.has(name.toLowerCase())),
    ) || wanted.has(claim.id.toLowerCase())
      ? 0
      : claim.tables.some(isDerived)
        ? 3
        : task.known[claim.id] !== undefined
          ? 1
          : 2;
  return open
    .map((l) => ({ l, r: rank(l) }))
    .sort((a, b) => a.r - b.r)
    .map(({ l }) => l);
}
