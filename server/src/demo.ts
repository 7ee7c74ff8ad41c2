import { readdirSync } from 'node:fs';
import { join } from 'node:path';
import type { Model } from '@crease/core/model';
import { readSpecOf } from '@crease/core/interchange';
import { readHead, readFileTable } from './sources/fileTable.ts';
import { sourceKey } from './store/index.ts';
import type { Workspace } from './workspace.ts';

/** Brings a model and the files of its folder into a workspace, through the same reader and the same store as any file. */
export function bringIn(workspace: Workspace, model: Model, folder: string, says: string): number {
  const id = workspace.models.create(model, says);
  const present = new Set(readdirSync(folder));
  for (const table of model.tables) {
    if (!table.source || !('file' in table.source) || !present.has(table.source.file)) continue;
    const file = join(folder, table.source.file);
    const { head, whole } = readHead(file);
    workspace.tables.write(id, sourceKey(table), readFileTable(file, readSpecOf(table, table.source, head, whole)));
  }
  workspace.claims.refresh(id);
  return id;
}
