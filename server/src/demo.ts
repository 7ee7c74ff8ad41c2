import { readdirSync } from 'node:fs';
import { join } from 'node:path';
import type { Model } from '@crease/core/model';
import type { PendingRows } from './intake/loadTable.ts';
import { partsOrder } from './intake/partsOrder.ts';
import { loadTable } from './intake/loadTable.ts';
import { readHead } from './sources/fileTable.ts';
import { sourceKey } from './store/index.ts';
import type { Workspace } from './workspace.ts';
import { listsOfCorrections } from '@crease/core/corrections';
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
  const stored: { key: string; pending: PendingRows; file: string; tookMs: number }[] = [];
  for (const table of [...model.tables, ...listsOfCorrections(model)]) {
    const source = fileOf(table);
    if (!source || !present.has(source.file)) continue;
    const file = join(folder, source.file);
    const { head, whole } = readHead(file);
    const key = sourceKey(table);
    const target = {
      workspace: workspace.file,
      scratch: workspace.incoming,
      modelId,
      key,
      known: { columns: table.columns, key: [] },
      parts: partsOrder(table, { mode: 'replace' }),
    };
    const begun = performance.now();
    const spec = readSpecOf(table, source, head, whole);
    const { pending } = await loadTable(workspace, tables, file, spec, target, () => undefined).done;
    if (pending) stored.push({ key, pending, file: source.file, tookMs: performance.now() - begun });
  }
  models.together(() => {
    for (const { key, pending, file, tookMs } of stored) {
      tables.finishAll(modelId, key, pending);
      for (const { tableId } of pending.tables) tables.setOrigin(tableId, file, tookMs);
    }
    models.standOnRows(modelId);
  });
  // Whoever has opened it already sees its rows now.
  workspace.changed(modelId, models.head(modelId), '');
  return modelId;
}
