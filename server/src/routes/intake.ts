import { Router } from 'express';
import { intakeRequest, previewRequest, runRecipeRequest, settingsSchema } from '@crease/contract';
import type { LoadsState } from '@crease/contract';
import { ServerError } from '../errors.ts';
import type { Coming } from '../intake/admit.ts';
import { asModel, checkNames, keyFor } from '../intake/admit.ts';
import { loadByRecipe, modelOf } from '../intake/loadByRecipe.ts';
import { revertLoad } from '../intake/revertLoad.ts';
import { previewArrival } from '../intake/previewArrival.ts';
import { takeInAll } from '../intake/takeInAll.ts';
import type { Workspace } from '../workspace.ts';
import { answer, asked, body, idOf, param } from './handle.ts';

/** Files on their way in: upload as a stream, preview, then intake as a job. */
export function intakeRoutes(workspace: Workspace): Router {
  const router = Router();
  const { arrivals } = workspace;

  router.post(
    '/uploads',
    answer((request) => arrivals.receive(asked(request, 'name'), request)),
  );

  router.post(
    '/uploads/:upload/preview',
    answer(async (request) => {
      const id = param(request, 'upload');
      return {
        upload: arrivals.state(id),
        preview: await previewArrival(workspace, id, body(request, previewRequest)),
      };
    }),
  );

  router.delete(
    '/uploads/:upload',
    answer((request) => arrivals.drop(param(request, 'upload'))),
  );

  router.get(
    '/settings',
    answer(() => ({ naming: workspace.settings.naming, keep: workspace.settings.keep })),
  );

  router.put(
    '/settings',
    answer((request) => {
      const { naming, keep } = body(request, settingsSchema);
      workspace.settings.naming = naming;
      if (keep) workspace.settings.keep = keep;
    }),
  );

  router.post(
    '/models/:id/intake',
    answer((request) => {
      const modelId = idOf(request);
      const { tables, dryRun } = body(request, intakeRequest);
      const { model } = workspace.models.head(modelId);
      const coming = tables.map((order): Coming => ({
        order: asModel(order, model),
        file: arrivals.state(order.upload).name,
        origin: arrivals.origin(order.upload),
      }));
      checkNames(coming, model);
      const what = tables.length === 1 ? tables[0]!.name : `${tables.length} tables`;
      const named = coming.map((table) => ({ key: keyFor(model, table), name: table.order.name }));
      const end = dryRun ? () => undefined : workspace.underWay.begin(modelId, named);
      const order = { modelId, coming, dryRun, by: request.get('x-crease-tab') ?? '' };
      return workspace.jobs.start(
        dryRun ? `try ${what}` : `load ${what}`,
        (job) => workspace.hub.send(modelId, { kind: 'job', job }),
        (progress, onCancel) => takeInAll(workspace, order, progress, onCancel).finally(end),
      );
    }),
  );

  router.post(
    '/recipes/run',
    answer((request) => {
      if (request.get('x-crease-token') !== workspace.token)
        throw new ServerError(
          'wrong-origin',
          'only a command of the owner of the workspace may ask for that',
        );
      const run = body(request, runRecipeRequest);
      const modelId = modelOf(workspace, run.model);
      return workspace.jobs.start(
        `load by ${run.recipe}`,
        (job) => workspace.hub.send(modelId, { kind: 'job', job }),
        (progress, onCancel) =>
          loadByRecipe(workspace, { ...run, model: String(modelId) }, progress, onCancel),
      );
    }),
  );

  router.post(
    '/models/:id/loads/:load/revert',
    answer((request) => {
      const by = request.get('x-crease-tab') ?? '';
      return revertLoad(workspace, idOf(request), Number(param(request, 'load')), by);
    }),
  );

  /** Removes the rows of before that are kept for undo. */
  router.delete(
    '/models/:id/old-rows',
    answer((request) => ({ removed: workspace.tables.rows.removeRetired(idOf(request)) })),
  );

  router.get(
    '/models/:id/loads',
    answer((request): LoadsState => {
      const id = idOf(request);
      return {
        recipes: workspace.loads.recipes(id),
        log: workspace.loads.log(id),
        kept: workspace.tables.rows.keptOf(id),
        keep: workspace.settings.keep,
      };
    }),
  );

  router.delete(
    '/models/:id/recipes/:recipe',
    answer((request) => {
      const name = param(request, 'recipe');
      if (!workspace.loads.remove(idOf(request), name))
        throw new ServerError('not-found', `there is no recipe ${name} any more`);
    }),
  );

  router.get(
    '/jobs/:job',
    answer((request) => {
      const job = workspace.jobs.get(param(request, 'job'));
      if (!job) throw new ServerError('not-found', 'that work has ended a while ago');
      return job;
    }),
  );

  router.delete(
    '/jobs/:job',
    answer((request) => {
      if (!workspace.jobs.cancel(param(request, 'job')))
        throw new ServerError('not-found', 'that work has ended a while ago');
    }),
  );

  return router;
}
