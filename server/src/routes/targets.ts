import type { BodyOf, ReleaseEntry } from '@crease/contract';
import { api } from '@crease/contract';
import type { ReleaseTarget } from '@crease/core/model';
import { sameName } from '@crease/core/model';
import { againstDefinitions, refusalOfDefinitions } from '@crease/core/claims';
import { ServerError } from '../errors.ts';
import { explained } from '../explained.ts';
import type { StandsOn } from '../store/index.ts';
import { sourceKey } from '../store/index.ts';
import type { Workspace } from '../workspace.ts';
import type { Serve } from './serve.ts';

/** Releases to the targets of a model: planned, done as a job, and remembered. */
export function targetRoutes(workspace: Workspace, serve: Serve): void {
  const { pool, models, claims: queue, releases, clock, hub, jobs } = workspace;

  serve(api.targets.log, ({ params: { id } }) => releases.log(id));
  serve(api.targets.giveUp, ({ params: { id, release } }) => {
    if (!releases.giveUp(id, release))
      throw new ServerError('not-found', `no rows are kept of release ${release}`);
    workspace.pruneRows(id);
  });
  serve(api.targets.plan, ({ params: { id }, body, signal }) =>
    pool.run('releasePlan', inputOf(workspace, id, body), signal),
  );
  serve(api.targets.release, ({ params: { id }, body }) => {
    const input = inputOf(workspace, id, body);
    // An earlier revision is judged where it is released, on the rows that it stood on.
    if (body.revision === undefined) {
      const { claims, done } = queue.state(id);
      const refusal = done
        ? refusalOfDefinitions(againstDefinitions(claims))
        : 'the claims are still being judged: wait a moment';
      if (refusal !== undefined) throw new ServerError('blocked', refusal);
    }
    const { number } = input;
    const what = body.definitions
      ? 'definitions'
      : body.parts.length > 0
        ? body.parts.map((p) => `${p.table}:${p.part}`).join(', ')
        : 'all';
    const entry = {
      target: body.target,
      revision: number,
      at: clock.now().toISOString(),
      ...(body.author ? { author: body.author } : {}),
      what,
    };
    const steps = models.head(id).model.tables.length + 2;
    return jobs.start(
      `release to ${body.target}`,
      (job) => hub.send(id, { kind: 'job', job }),
      async (progress, onCancel) => {
        let begun = 0;
        const running = pool.start(
          'release',
          input,
          (step) => progress(Math.min(0.99, begun++ / steps), step),
          'loads',
        );
        onCancel(() => running.stop());
        try {
          const outcome = await running.done;
          if ('failed' in outcome) {
            releases.note(id, {
              ...entry,
              outcome: 'failed',
              message: outcome.message,
              proof: outcome.failed,
            });
            throw new ServerError('blocked', outcome.message, { isNoted: true });
          }
          const { plan, proof, rows, seconds } = outcome;
          const { release } = plan;
          releases.note(
            id,
            { ...entry, outcome: 'done', release, rows, seconds, proof },
            { ...standsOn(workspace, id, input), forReaders: input.target.readers !== false },
          );
          return `release ${release} to ${body.target} done: ${proof.questions} questions and ${proof.tables} tables compared, all equal`;
        } catch (error) {
          const isNoted = error instanceof ServerError && error.extra.isNoted === true;
          if (!isNoted)
            releases.note(id, { ...entry, outcome: 'failed', message: explained(error, '').message });
          throw error;
        }
      },
      expected(releases.log(id), entry),
    );
  });
}

/** How long the last release of as much to the same target took, in ms: its proof is most of that. */
const expected = (log: readonly ReleaseEntry[], { target, what }: Pick<ReleaseEntry, 'target' | 'what'>) => {
  const last = log.find((e) => e.outcome === 'done' && e.what === what && sameName(e.target, target));
  return last?.seconds === undefined ? undefined : Math.round(last.seconds * 1000);
};

type Input = ReturnType<typeof inputOf>;

/** What a release stands on: where it leaves rows at its target, those that were brought there before. */
function standsOn({ releases, tables, models }: Workspace, id: number, input: Input): StandsOn {
  const { revision, versions, day, definitions, parts, target } = input;
  const before = definitions || parts.length > 0 ? releases.lastTo(id, target.name) : undefined;
  if (!before) return { revision, versions, day };
  const keyOf = (table: string) => {
    const found = models.find(revision).model.tables.find((t) => sameName(t.name, table));
    return found ? [sourceKey(found)] : [];
  };
  const brought = parts.flatMap(({ table, part }) => keyOf(table).map((key) => ({ key, part })));
  return {
    revision,
    versions: definitions ? before.versions : tables.rows.withParts(before.versions, versions, brought),
    day,
  };
}

function inputOf(
  workspace: Workspace,
  id: number,
  { target, definitions, parts, author, revision }: BodyOf<typeof api.targets.plan>,
) {
  const { models, claims, clock } = workspace;
  // The target is the one of now: where it is may have changed since.
  const head = models.head(id);
  const found = (head.model.targets ?? []).find((t: ReleaseTarget) => sameName(t.name, target));
  if (!found) throw new ServerError('not-found', `the model has no target ${target} any more`);
  const earlier = revision === undefined ? undefined : models.history(id).find((r) => r.number === revision);
  if (revision !== undefined && !earlier)
    throw new ServerError('not-found', `the model has no revision ${revision}`);
  return {
    ...(earlier ? workspace.taskAt(id, earlier.id, 'then') : workspace.task(id)),
    target: found,
    claims: earlier ? undefined : claims.state(id).claims,
    number: earlier?.number ?? head.number,
    author: author ?? process.env.CREASE_AUTHOR ?? null,
    at: clock.now().toISOString(),
    definitions: definitions ?? false,
    parts: parts ?? [],
  };
}
