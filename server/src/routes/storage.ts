import { api } from '@crease/contract';
import { ServerError } from '../errors.ts';
import { NO_PART } from '@crease/core/load';
import { inOrder } from '@crease/core/storage';
import { partedTable, removeParts, splitTable } from '../intake/actOnParts.ts';
import { Figures, partedBy, sourceKey } from '../store/index.ts';
import { askBothWays } from '../warehouse/bothWays.ts';
import type { Workspace } from '../workspace.ts';
import type { Serve } from './serve.ts';

/** Threads that look for what would make a model lighter, each at some of its columns. */
const ADVISING_THREADS = 2;

/** What a model weighs, and what would make it lighter. */
export function storageRoutes(workspace: Workspace, serve: Serve): void {
  const { pool, models, tables, db } = workspace;
  const { storage } = api;
  const kept = new Figures(db);

  serve(storage.profile, ({ params: { id }, signal }) => {
    const { number, says } = models.head(id);
    return pool.run('profile', { ...workspace.task(id), number, says }, signal);
  });
  serve(storage.passedProfile, async ({ params: { id } }) => {
    const version = workspace.task(id);
    return pool.load('profileOn', { ...workspace.passed.placeOf(models.head(id).model), ...version });
  });
  serve(storage.bothWays, ({ params: { id }, signal }) => askBothWays(workspace.task(id), workspace, signal));
  serve(storage.keptProfiles, ({ params }) => kept.profiles(params.id));
  serve(storage.keptProfile, ({ params: { id, kept: which } }) => {
    const found = kept.profile(id, which);
    if (!found) throw new ServerError('not-found', 'this profile is not kept any more: choose another');
    return found;
  });
  serve(storage.parts, async ({ params: { id, table: name } }) => {
    const table = partedTable(workspace, id, name);
    const key = sourceKey(table);
    const { partition } = table;
    const current = tables.currentParts(id, key);
    const stored = tables.list(id).find((s) => s.key === key)?.parts ?? [];
    const spans = await pool.run('partSpans', {
      ...workspace.task(id),
      table: table.name,
      parts: current.map((p) => ({ id: p.id, name: p.part })),
    });
    const rule = partition && partedBy(partition);
    return {
      parts: stored
        .map((part) => {
          const at = current.find((p) => p.part === part.name)!;
          return { ...part, ...spans[at.id]!, isClosed: partition?.closed?.includes(part.name) ?? false };
        })
        .sort(
          (a, b) => Number(a.name === NO_PART) - Number(b.name === NO_PART) || (a.name < b.name ? -1 : 1),
        ),
      isParted: current.length > 0 && current.every((p) => p.partedBy === rule),
    };
  });
  serve(storage.actOnParts, ({ params: { id, table }, body, by }) => {
    const { name, source } = partedTable(workspace, id, table);
    const key = sourceKey({ name, ...(source ? { source } : {}) });
    const end = workspace.underWay.begin(id, [{ key, name }]);
    return workspace.jobs.start(
      body.do === 'split' ? `parts of ${name}` : `remove parts of ${name}`,
      (job) => workspace.hub.send(id, { kind: 'job', job }),
      () =>
        (body.do === 'split'
          ? splitTable(workspace, id, name, by)
          : Promise.resolve().then(() => removeParts(workspace, id, name, body.parts, by))
        ).finally(end),
    );
  });
  serve(storage.parquetSizes, ({ params, signal }) =>
    pool.run('parquetSizes', workspace.task(params.id), signal),
  );
  serve(storage.advice, async ({ params, signal }) => {
    const version = workspace.task(params.id);
    // On the threads that read files: looking at every row of every column keeps nobody from asking.
    const shares = Array.from({ length: ADVISING_THREADS }, (_, number) =>
      pool.load('storageAdvice', { ...version, share: { number, of: ADVISING_THREADS } }, [], signal),
    );
    return inOrder((await Promise.all(shares)).flat());
  });
  serve(storage.folds, ({ params, body, signal }) =>
    pool.run('folds', { ...body, ...workspace.task(params.id) }, signal),
  );
}
