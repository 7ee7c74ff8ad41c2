import { api } from '@crease/contract';
import { ServerError } from '../errors.ts';
import { Figures } from '../store/index.ts';
import type { Workspace } from '../workspace.ts';
import type { Serve } from './serve.ts';

/** What a model weighs, and what would make it lighter. */
export function storageRoutes(workspace: Workspace, serve: Serve): void {
  const { pool, models, db } = workspace;
  const { storage } = api;
  const kept = new Figures(db);

  serve(storage.profile, ({ params: { id }, signal }) => {
    const { number, says } = models.head(id);
    return pool.run('profile', { ...workspace.task(id), number, says }, signal);
  });
  serve(storage.keptProfiles, ({ params }) => kept.profiles(params.id));
  serve(storage.keptProfile, ({ params: { id, kept: which } }) => {
    const found = kept.profile(id, which);
    if (!found) throw new ServerError('not-found', 'this profile is not kept any more: choose another');
    return found;
  });
  serve(storage.advice, ({ params, signal }) => pool.run('storageAdvice', workspace.task(params.id), signal));
  serve(storage.folds, ({ params, body, signal }) =>
    pool.run('folds', { ...body, ...workspace.task(params.id) }, signal),
  );
}
