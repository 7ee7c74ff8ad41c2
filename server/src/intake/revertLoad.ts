import type { Model, Table } from '@crease/core/model';
import { sameName } from '@crease/core/model';
import { ServerError } from '../errors.ts';
import { sourceKey } from '../store/index.ts';
import type { Workspace } from '../workspace.ts';

/**
 * Takes a load back by name, whoever made it: the rows of its table are those of before it, and so is what
 * the load changed of the table, unless somebody has changed it since. Throws ServerError where the table has
 * been loaded again since, or the rows are gone.
 */
export function revertLoad(workspace: Workspace, modelId: number, loadId: number, by: string): { ok: true } {
  const { loads, models, tables } = workspace;
  const entry = loads.entry(modelId, loadId);
  if (!entry || entry.before === undefined || entry.revision === undefined)
    throw new ServerError('not-found', 'there is no such load, or it has nothing to revert');
  if (entry.reverted !== undefined)
    throw new ServerError('cannot-answer', 'this load has been reverted already');
  const [before, after] = [models.find(entry.before), models.find(entry.revision)];
  const { model } = models.head(modelId);
  const known = (m: Model) => m.tables.find((t) => sameName(t.name, entry.table));
  const table = known(model);
  if (!table)
    throw new ServerError(
      'cannot-answer',
      `the model has no table ${entry.table} any more: nothing of it is left`,
    );
  const key = sourceKey(table);
  const [then, made] = [models.rowsOf(before.id)?.[key], models.rowsOf(after.id)?.[key]];
  if (tables.versions(modelId)[key] !== made)
    throw new ServerError(
      'cannot-answer',
      `${entry.table} has other rows since: revert the later load of it first`,
    );
  const revision = models.change(
    modelId,
    (head) => withTable(head, known(before.model), known(after.model)),
    `reverted the load of ${entry.table} from ${entry.source}`,
    { by, before: () => tables.rows.restoreKey(modelId, key, then) },
  );
  loads.markReverted(modelId, entry);
  workspace.changed(modelId, revision, by);
  return { ok: true };
}

/** The model with a table as it was before a load, where it still is as the load left it. */
function withTable(model: Model, before: Table | undefined, after: Table | undefined): Model {
  if (!before || !after) return model;
  return {
    ...model,
    tables: model.tables.map((t) => (JSON.stringify(t) === JSON.stringify(after) ? before : t)),
  };
}
