import { NO_PART, partitionFault } from '@crease/core/load';
import type { Table } from '@crease/core/model';
import { isDerived, sameName } from '@crease/core/model';
import { counted, parseType, TEXT } from '@crease/core/values';
import { ServerError } from '../errors.ts';
import { sourceKey } from '../store/index.ts';
import type { Workspace } from '../workspace.ts';

/** A table of a model that can lie in parts. Throws ServerError for any other. */
export function partedTable(workspace: Workspace, modelId: number, name: string): Table {
  const table = workspace.models.head(modelId).model.tables.find((t) => sameName(t.name, name));
  if (!table) throw new ServerError('not-found', `the model has no table ${name}`);
  return table;
}

/**
 * Brings all rows of a table into parts by its rule. What is visible stays so until all are written. Gives
 * what to say at the end.
 */
export async function splitTable(
  workspace: Workspace,
  modelId: number,
  name: string,
  by: string,
): Promise<string> {
  const { pool, tables, models } = workspace;
  const table = partedTable(workspace, modelId, name);
  const { partition } = table;
  if (!partition || isDerived(table))
    throw new ServerError(
      'cannot-answer',
      `${name} has no rule by which its rows are parted, or is made by steps`,
    );
  const column = table.columns.find((c) => sameName(c.name, partition.by));
  if (!column || column.formula !== undefined)
    throw new ServerError(
      'cannot-answer',
      `rows are parted by a stored column, and ${name}.${partition.by} is ${column ? 'derived' : 'not there'}`,
    );
  const fault = partitionFault(parseType(column.type) ?? TEXT, partition.every);
  if (fault !== undefined)
    throw new ServerError('cannot-answer', `${fault}, and ${name}.${column.name} is ${column.type}`);
  const key = sourceKey(table);
  const version = tables.versions(modelId)[key];
  if (version === undefined) throw new ServerError('cannot-answer', `${name} has no rows yet`);
  const current = tables.currentParts(modelId, key);
  const had = tables.list(modelId).find((s) => s.key === key)?.parts ?? [];
  const source = new Set(had.map((p) => p.source)).size === 1 ? had[0]!.source : null;
  const { written, gone } = await pool.load('splitParts', {
    workspace: workspace.file,
    modelId,
    key,
    version,
    table,
    order: { partition: { ...partition, closed: [] }, current },
  });
  if (written.length === 0) return `${name} is in parts already`;
  const parts = written.map(({ part, ...own }) => ({ ...own, replaces: { part } }));
  const revision = models.change(modelId, (model) => model, `kept ${name} in parts by ${partition.by}`, {
    by,
    before: () => {
      if (tables.versions(modelId)[key] !== version) {
        for (const { tableId } of parts) tables.drop(tableId);
        throw new ServerError('cannot-answer', `${name} has other rows since: try again`);
      }
      tables.finishAll(modelId, key, { tables: parts, gone });
      if (source !== null) for (const { tableId } of parts) tables.setOrigin(tableId, source, null);
    },
  });
  workspace.pruneRows(modelId);
  workspace.changed(modelId, revision, by);
  return `${name} lies in ${parts.length} parts`;
}

/** Takes parts with their rows out of a table; they are kept for undo. Throws ServerError for closed ones. */
export function removeParts(
  workspace: Workspace,
  modelId: number,
  name: string,
  parts: readonly string[],
  by: string,
): string {
  const { tables, models } = workspace;
  const table = partedTable(workspace, modelId, name);
  const key = sourceKey(table);
  const known = new Map(tables.currentParts(modelId, key).map((p) => [p.part, p.rows]));
  for (const part of parts) {
    if (!known.has(part)) throw new ServerError('not-found', `${name} has no part ${part || NO_PART}`);
    if (table.partition?.closed?.includes(part))
      throw new ServerError('cannot-answer', `the part ${part} of ${name} is closed: open it first`);
  }
  const rows = parts.reduce((sum, part) => sum + known.get(part)!, 0);
  const revision = models.change(modelId, (model) => model, `removed ${parts.join(', ')} of ${name}`, {
    by,
    before: () => tables.finishAll(modelId, key, { tables: [], gone: parts }),
  });
  workspace.pruneRows(modelId);
  workspace.changed(modelId, revision, by);
  return `${counted(rows, 'row')} removed`;
}
