import type { HistoryEntry, ModelState, ModelSummary, TrialImpact, UndoState } from '@crease/contract';
import { api } from '@crease/contract';
import { compareAnswers, diffModels } from '@crease/core/changes';
import { listsOfCorrections } from '@crease/core/corrections';
import { applyEdit } from '@crease/core/edit';
import { cataloguePage } from '@crease/core/interchange';
import { DocumentError, readModel, sameName, writeModel } from '@crease/core/model';
import { ServerError } from '../errors.ts';
import { explained } from '../explained.ts';
import type { Revision } from '../store/index.ts';
import { ConflictError, NoModelError, sourceKey } from '../store/index.ts';
import type { Workspace } from '../workspace.ts';
import type { Serve } from './serve.ts';
import { attach, SENT } from './serve.ts';

/** Undo is for what was done in this window; an act of unknown origin may be undone anywhere. */
const isOwn = (by: string, tab: string): boolean => by === '' || tab === '' || by === tab;
const NOT_YOURS =
  'the last change was made elsewhere: revert a load by name on the Loads view, or make another change';

/** So many models of the list are judged when they are listed: more would keep the machine busy. */
const MOST_JUDGED = 12;

/** Models, their edits and their history. */
export function modelRoutes(workspace: Workspace, serve: Serve): void {
  const { models, tables, changed, pool } = workspace;

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

  /** A model that cannot be read stands in no other's way. `judged`: with its verdicts. */
  const summary = (id: number, judged: boolean): ModelSummary => {
    try {
      const head = models.head(id);
      return {
        id,
        name: head.model.name,
        title: head.model.title ?? head.model.name,
        tables: head.model.tables.length,
        rows: tables.list(id).reduce((sum, t) => sum + t.rows, 0),
        changedAt: head.at,
        says: head.says,
        ...(judged ? { claims: workspace.claims.summary(id) } : {}),
      };
    } catch (error) {
      if (!(error instanceof DocumentError)) throw error;
      const name = `model ${id}`;
      return { id, name, title: name, tables: 0, rows: 0, changedAt: '', says: '', fault: error.message };
    }
  };

  serve(api.models.list, () => models.ids().map((id, i) => summary(id, i < MOST_JUDGED)));

  serve(api.models.addDemo, async () => {
    if (!workspace.makeDemo) throw new ServerError('not-found', 'this server has no demo to add');
    return { id: await workspace.makeDemo(workspace) };
  });

  serve(api.models.create, ({ body: { title }, by }) => {
    const name =
      title
        .toLowerCase()
        .replace(/[^a-z0-9]+/g, '-')
        .replace(/^-|-$/g, '') || 'model';
    return { id: models.create({ crease: 1, name, title, tables: [] }, 'created the model', by) };
  });

  serve(api.models.importFile, ({ body }) => ({ id: workspace.importModel(body.text).id }));

  serve(api.models.get, ({ params: { id } }) => {
    const opened = state(id);
    workspace.warmUp.open(id);
    return opened;
  });

  serve(api.models.remove, ({ params: { id } }) => {
    if (!models.ids().includes(id)) throw new NoModelError(`there is no model ${id} in this workspace`);
    workspace.claims.forget(id);
    models.remove(id);
  });

  serve(api.models.edit, ({ params: { id }, body: { base, edit, says }, by }) => {
    const revision = models.edit(id, base, edit, says, by);
    changed(id, revision, by);
    return state(id, revision);
  });

  /** What undo or redo would do, told before it is done. */
  const stepState = (id: number, step: 'undo' | 'redo', tab: string): UndoState => {
    const beyond = models.beyond(id, step);
    if (!beyond) return { possible: false, says: '', rows: [] };
    const head = models.head(id);
    const undone = step === 'undo' ? head : beyond.revision;
    const known = [head.model, beyond.revision.model].flatMap((m) => [...m.tables, ...listsOfCorrections(m)]);
    const nameOf = (key: string) => known.find((t) => sourceKey(t) === key)?.name ?? key;
    return {
      possible: isOwn(undone.by, tab),
      says: undone.says,
      rows: beyond.rows.map(({ key, now, then }) => ({ table: nameOf(key), now, then })),
      ...(isOwn(undone.by, tab) ? {} : { reason: NOT_YOURS }),
    };
  };

  serve(api.models.previewUndo, ({ params, by }) => stepState(params.id, 'undo', by));
  serve(api.models.previewRedo, ({ params, by }) => stepState(params.id, 'redo', by));
  for (const step of ['undo', 'redo'] as const)
    serve(api.models[step], ({ params: { id }, body: { base }, by }) => {
      const head = models.head(id);
      const { possible, reason } = stepState(id, step, by);
      if (head.id === base && !possible && reason !== undefined) throw new ServerError('not-yours', reason);
      const revision = models[step](id, base);
      if (revision) changed(id, revision, by);
      return state(id);
    });

  serve(api.models.importInto, ({ params: { id }, body: { base, text }, by }) => {
    const edited = readModel(text);
    const head = models.head(id);
    if (head.id !== base) throw new ConflictError(head);
    const revision = models.change(id, () => edited, 'read from a model file', { by });
    changed(id, revision, by);
    return state(id, revision);
  });

  serve(api.models.changes, ({ params: { id, revision } }) =>
    diffModels(models.ofModel(id, revision).model, models.head(id).model),
  );
  serve(api.models.impact, async ({ params: { id, revision }, signal }) => {
    const before = models.ofModel(id, revision).model.trials ?? [];
    const found: TrialImpact[] = [];
    for (const { name, query } of models.head(id).model.trials ?? []) {
      const was = before.find((t) => sameName(t.name, name));
      if (!was) {
        found.push({ trial: name, fault: 'there was no such trial' });
        continue;
      }
      try {
        const asked = { texts: 'code points' as const };
        const then = workspace.taskAt(id, revision, 'now');
        const old = await pool.run('query', { query: was.query, ...asked, ...then }, signal);
        const now = await pool.run('query', { query, ...asked, ...workspace.task(id) }, signal);
        found.push({ trial: name, change: compareAnswers(old, now) });
      } catch (error) {
        const { code, message } = explained(error, '');
        if (code === 'internal' || code === 'given-up') throw error;
        found.push({ trial: name, fault: message });
      }
    }
    return found;
  });
  serve(api.models.impactOfEdit, ({ params: { id }, body: { edit }, signal }) => {
    const version = workspace.task(id);
    const edited = writeModel(applyEdit(readModel(version.document), edit));
    return pool.run('impact', { ...version, edited }, signal);
  });
  serve(api.models.restore, ({ params: { id, revision }, body: { base }, by }) => {
    const { model, number } = models.ofModel(id, revision);
    const head = models.head(id);
    if (head.id !== base) throw new ConflictError(head);
    const restored = models.change(id, () => model, `restored revision ${number}`, { by });
    changed(id, restored, by);
    return state(id, restored);
  });

  serve(api.models.nameRevision, ({ params: { id, revision }, body: { name } }) =>
    models.nameRevision(id, revision, name),
  );
  serve(api.models.revisionFile, ({ params: { id, revision }, response }) => {
    const { model, number } = models.ofModel(id, revision);
    attach(response, `${model.name}.revision-${number}.crease.json`, 'application/json');
    return writeModel(model);
  });
  serve(api.models.revisionPage, ({ params: { id, revision }, response }) => {
    const { model, number, at, name } = models.ofModel(id, revision);
    const title = `${model.title ?? model.name}, revision ${number}${name === '' ? '' : ` (${name})`}`;
    response.type('text/html');
    return cataloguePage({ ...model, title }, new Date(at));
  });
  serve(api.models.history, ({ params }) =>
    models.history(params.id).map(({ parent: _parent, ...entry }): HistoryEntry => entry),
  );

  serve(api.events.follow, ({ params, response }) => {
    models.head(params.id);
    workspace.hub.join(params.id, response);
    return SENT;
  });
}
