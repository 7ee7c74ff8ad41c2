import { Router } from 'express';
import type { Request } from 'express';
import {
  createModelRequest,
  editRequest,
  importIntoRequest,
  importModelRequest,
  stepRequest,
} from '@crease/contract';
import type { HistoryEntry, ModelState, ModelSummary, UndoState } from '@crease/contract';
import { DocumentError, readModel } from '@crease/core/model';
import { ServerError } from '../errors.ts';
import type { Revision } from '../store/index.ts';
import { ConflictError, NoModelError, sourceKey } from '../store/index.ts';
import type { Workspace } from '../workspace.ts';
import { answer, body, idOf } from './handle.ts';

/** Undo is for what was done in this window; an act of unknown origin may be undone anywhere. */
const isOwn = (by: string, tab: string): boolean => by === '' || tab === '' || by === tab;
const NOT_YOURS =
  'the last change was made elsewhere: revert a load by name on the Loads view, or change the model as you want it';

/** The window that asks. */
const tabOf = (request: Request): string => request.get('x-crease-tab') ?? '';

/** Models, their edits and their history. */
export function modelRoutes(workspace: Workspace): Router {
  const { models, tables } = workspace;
  const router = Router();

  const state = (id: number, revision: Revision = models.head(id)): ModelState => {
    const stored = tables.list(id);
    return {
      id,
      revision: {
        id: revision.id,
        number: revision.number,
        says: revision.says,
        at: revision.at,
        by: revision.by,
      },
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

  /** A model that cannot be read stands in no other's way. */
  const summary = (id: number): ModelSummary => {
    try {
      const head = models.head(id);
      return {
        id,
        name: head.model.name,
        title: head.model.title ?? head.model.name,
        tables: head.model.tables.length,
        rows: tables.list(id).reduce((sum, t) => sum + t.rows, 0),
        changedAt: head.at,
      };
    } catch (error) {
      if (!(error instanceof DocumentError)) throw error;
      const name = `model ${id}`;
      return { id, name, title: name, tables: 0, rows: 0, changedAt: '', fault: error.message };
    }
  };

  router.get(
    '/models',
    answer(() => models.ids().map(summary)),
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
      const by = tabOf(request);
      return { id: models.create({ crease: 1, name, title, tables: [] }, 'created the model', by) };
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
      const id = idOf(request);
      if (!models.ids().includes(id)) throw new NoModelError(`there is no model ${id} in this workspace`);
      workspace.claims.forget(id);
      models.remove(id);
    }),
  );

  router.post(
    '/models/:id/edits',
    answer((request) => {
      const id = idOf(request);
      const { base, edit, says } = body(request, editRequest);
      const revision = models.edit(id, base, edit, says, tabOf(request));
      workspace.changed(id, revision, tabOf(request));
      return state(id, revision);
    }),
  );

  /** What undo or redo would do, told before it is done. */
  const stepState = (id: number, step: 'undo' | 'redo', tab: string): UndoState => {
    const beyond = models.beyond(id, step);
    if (!beyond) return { possible: false, says: '', rows: [] };
    const head = models.head(id);
    const undone = step === 'undo' ? head : beyond.revision;
    const nameOf = (key: string) =>
      [...head.model.tables, ...beyond.revision.model.tables].find((t) => sourceKey(t) === key)?.name ?? key;
    return {
      possible: isOwn(undone.by, tab),
      says: undone.says,
      rows: beyond.rows.map(({ key, now, then }) => ({ table: nameOf(key), now, then })),
      ...(isOwn(undone.by, tab) ? {} : { reason: NOT_YOURS }),
    };
  };

  for (const step of ['undo', 'redo'] as const) {
    router.get(
      `/models/:id/${step}`,
      answer((request) => stepState(idOf(request), step, tabOf(request))),
    );
    router.post(
      `/models/:id/${step}`,
      answer((request) => {
        const id = idOf(request);
        const { base } = body(request, stepRequest);
        const head = models.head(id);
        const { possible, reason } = stepState(id, step, tabOf(request));
        if (head.id === base && !possible && reason !== undefined) throw new ServerError('not-yours', reason);
        const revision = models[step](id, base);
        if (revision) workspace.changed(id, revision, tabOf(request));
        return state(id);
      }),
    );
  }

  /** Reads a model file into a model as a revision of its own; its rows stay. */
  router.post(
    '/models/:id/import',
    answer((request) => {
      const id = idOf(request);
      const { base, text } = body(request, importIntoRequest);
      const edited = readModel(text);
      const head = models.head(id);
      if (head.id !== base) throw new ConflictError(head);
      const revision = models.change(id, () => edited, 'read from a model file', { by: tabOf(request) });
      workspace.changed(id, revision, tabOf(request));
      return state(id, revision);
    }),
  );

  router.get(
    '/models/:id/history',
    answer((request) =>
      models
        .history(idOf(request))
        .map(({ id, number, says, at, by, isHead }): HistoryEntry => ({ id, number, says, at, by, isHead })),
    ),
  );

  router.get('/models/:id/events', (request, response) => {
    models.head(idOf(request));
    workspace.hub.join(idOf(request), response);
  });

  return router;
}
