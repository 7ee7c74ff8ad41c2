import { Router } from 'express';
import { intakeRequest, previewRequest, settingsSchema } from '@crease/contract';
import type { LoadsState } from '@crease/contract';
import { ServerError } from '../errors.ts';
import type { Coming } from '../intake/admit.ts';
import { checkNames } from '../intake/admit.ts';
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
    answer(() => ({ naming: workspace.settings.naming })),
  );

  router.put(
    '/settings',
    answer((request) => {
      workspace.settings.naming = body(request, settingsSchema).naming;
    }),
  );

  router.post(
    '/models/:id/intake',
    answer((request) => {
      const modelId = idOf(request);
      const { tables, dryRun } = body(request, intakeRequest);
      const coming = tables.map((order): Coming => ({
        order,
        file: arrivals.state(order.upload).name,
        origin: arrivals.origin(order.upload),
      }));
      checkNames(coming, workspace.models.head(modelId).model);
      const what = tables.length === 1 ? tables[0]!.name : `${tables.length} tables`;
      const says = dryRun ? `try ${what}` : `take in ${what}`;
      return workspace.jobs.start(
        says,
        (job) => workspace.hub.send(modelId, { kind: 'job', job }),
        (progress, onCancel) => takeInAll(workspace, modelId, coming, dryRun, progress, onCancel),
      );
    }),
  );

  router.get(
    '/models/:id/loads',
    answer((request): LoadsState => {
      const id = idOf(request);
      return { recipes: workspace.loads.recipes(id), log: workspace.loads.log(id) };
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
