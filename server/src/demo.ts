import { readdirSync } from 'node:fs';
import { join } from 'node:path';
import type { Model } from '@crease/core/model';
import type { PendingRows } from './intake/loadTable.ts';
import { loadTable } from './intake/loadTable.ts';
import { readHead } from './sources/fileTable.ts';
import { sourceKey } from './store/index.ts';
import type { Workspace } from './workspace.ts';
import { readSpecOf } from '@crease/core/sources';
import { fileOf } from '@crease/core/model';

/**
 * Brings a model and the files of its folder into a workspace, through the same intake as any file. Gives the
 * model's id.
 */
export async function bringIn(
  workspace: Workspace,
  model: Model,
  folder: string,
  says: string,
): Promise<number> {
  const { models, tables } = workspace;
  const modelId = models.create(model, says);
  const present = new Set(readdirSync(folder));
  const stored: PendingRows[] = [];
  for (const table of model.tables) {
    const source = fileOf(table);
    if (!source || !present.has(source.file)) continue;
    const file = join(folder, source.file);
    const { head, whole } = readHead(file);
    const target = { workspace: workspace.file, scratch: workspace.incoming, modelId, key: sourceKey(table) };
    const spec = readSpecOf(table, source, head, whole);
    const { pending } = await loadTable(workspace, tables, file, spec, target, () => undefined).done;
    if (pending) stored.push(pending);
  }
  models.together(() => {
    for (const { tableId, misfits, replaces } of stored) tables.finish(tableId, misfits, replaces);
    models.standOnRows(modelId);
  });
  workspace.claims.refresh(modelId);
  return modelId;
}
