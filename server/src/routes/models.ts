import { Router } from 'express';
import { createModelRequest, editRequest, importModelRequest, stepRequest } from '@crease/contract';
import type { HistoryEntry, ModelState, ModelSummary } from '@crease/contract';
import type { Revision } from '../store/index.ts';
import { sourceKey } from '../store/index.ts';
import type { Workspace } from '../workspace.ts';
import { answer, body, idOf } from './handle.ts';

/** Models, their edits and their history. */
export function modelRoutes(workspace: Workspace): Router {
  const { models, tables } = workspace;
  const router = Router();

  const state = (id: number, revision: Revision = models.head(id)): ModelState => {
    const stored = tables.list(id);
    return {
      id,
      revision: { id: revision.id, number: revision.number, says: revision.says, at: revision.at },
      canUndo: revision.parent !== null,
      canRedo: models.canRedo(revision.id),
      model: revision.model,
      stored: revision.model.tables.flatMap((t) => {
        const found = stored.find((s) => s.key === sourceKey(t));
        if (!found) return [];
        const { rows, bytes, loadedAt, problems, parts } = found;
        const named = parts.some(({ name }) => name !== '');
        return [
          {
            name: t.name,
            rows,
            bytes,
            loadedAt,
            problems: problems.slice(0, 200),
            ...(named ? { parts: [...parts] } : {}),
          },
        ];
      }),
    };
  };

  router.get(
    '/models',
    answer(() =>
      models.ids().map((id): ModelSummary => {
        const head = models.head(id);
        const rows = tables.list(id).reduce((sum, t) => sum + t.rows, 0);
        return {
          id,
          name: head.model.name,
          title: head.model.title ?? head.model.name,
          tables: head.model.tables.length,
          rows,
          changedAt: head.at,
        };
      }),
    ),
  );

  router.post(
    '/models',
    answer((request) => {
      const { title } = body(request, createModelRequest);
      const name =
        title
          .toLowerCase()
          .replace(/[^a-z0-9]+/g, '-')
          .replace(/^-|-$/g, '') || 'model';
      return { id: models.create({ crease: 1, name, title, tables: [] }, 'began the model') };
    }),
  );

  router.post(
    '/models/import',
    answer((request) => ({ id: workspace.importModel(body(request, importModelRequest).text).id })),
  );

  router.get(
    '/models/:id',
    answer((request) => state(idOf(request))),
  );

  router.delete(
    '/models/:id',
    answer((request) => {
      models.head(idOf(request));
      models.remove(idOf(request));
    }),
  );

  router.post(
    '/models/:id/edits',
    answer((request) => {
      const id = idOf(request);
      const { base, edit, says } = body(request, editRequest);
      const revision = models.edit(id, base, edit, says);
      workspace.changed(id, revision, request.get('x-crease-tab') ?? '');
      return state(id, revision);
    }),
  );

  for (const step of ['undo', 'redo'] as const) {
    router.post(
      `/models/:id/${step}`,
      answer((request) => {
        const id = idOf(request);
        const revision = models[step](id, body(request, stepRequest).base);
        if (revision) workspace.changed(id, revision, request.get('x-crease-tab') ?? '');
        return state(id);
      }),
    );
  }

  router.get(
    '/models/:id/history',
    answer((request) =>
      models
        .history(idOf(request))
        .map(({ id, number, says, at, isHead }): HistoryEntry => ({ id, number, says, at, isHead })),
    ),
  );

  router.get('/models/:id/events', (request, response) => {
    models.head(idOf(request));
    workspace.hub.join(idOf(request), response);
  });

  return router;
}
