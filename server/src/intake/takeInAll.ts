import { statSync } from 'node:fs';
import type { LoadResult, RecipeState } from '@crease/contract';
import type { MergeOrder } from '@crease/core/load';
import { sameName } from '@crease/core/model';
import type { ReadSpec } from '@crease/core/reading';
import { tableText } from '../databases/reader.ts';
import type { Workspace } from '../workspace.ts';
import type { Coming } from './admit.ts';
import { SAMPLED_ROWS } from './arrivals.ts';
import { admit, keyFor } from './admit.ts';
import { DRAWN_DIALECT, readingOf } from './previewArrival.ts';
import type { Target } from './takeIn.ts';
import { takeIn } from './takeIn.ts';

type Progress = (part: number, detail: string) => void;
type OnCancel = (stop: () => void) => void;

/** Shares of a database table's load: its rows are drawn first, then read like a file. */
const DRAWING = 0.5;

/** Takes tables in one after the other. Those before one that fails are whole and stay. Gives what to say at the end. */
export async function takeInAll(
  workspace: Workspace,
  modelId: number,
  coming: readonly Coming[],
  dryRun: boolean,
  progress: Progress,
  onCancel: OnCancel,
): Promise<{ detail: string; loads: LoadResult[] }> {
  const cancel = new AbortController();
  onCancel(() => cancel.abort());
  const loads: LoadResult[] = [];
  const taken: Coming[] = [];
  for (const [i, table] of coming.entries()) {
    const { order, origin } = table;
    const key = keyFor(workspace.models.head(modelId).model, table);
    const tell = (part: number) => progress((i + part) / coming.length, order.name);
    const entry = {
      table: order.name,
      source: origin ? `${origin.connection}: ${tableText(origin)}` : table.file,
      mode: order.mode,
    };
    const named = order.recipe === undefined ? entry : { ...entry, recipe: order.recipe };
    try {
      if (cancel.signal.aborted) throw new Error('cancelled');
      if (origin) await draw(workspace, table, cancel.signal, (part) => tell(part * DRAWING));
      const begun = origin ? DRAWING : 0;
      const target = targetOf(workspace, modelId, table, key, dryRun);
      const running = takeIn(
        workspace.pool,
        workspace.tables,
        workspace.arrivals.file(order.upload),
        specOf(table),
        target,
        (part) => tell(begun + part * (1 - begun)),
      );
      onCancel(() => running.stop());
      const result = { table: order.name, ...(await running.done) };
      loads.push(result);
      if (dryRun) continue;
      taken.push(table);
      const { counts, removed, leftOut, rows } = result;
      workspace.loads.note(modelId, { ...named, outcome: 'done', counts, removed, leftOut, rows });
      if (order.recipe !== undefined) workspace.loads.keep(modelId, recipeOf(order.recipe, table));
    } catch (error) {
      workspace.tables.dropLoading(modelId, key);
      const { message } = error as Error;
      if (!dryRun)
        workspace.loads.note(modelId, {
          ...named,
          outcome: cancel.signal.aborted ? 'cancelled' : 'failed',
          message,
        });
      // Tables before this one are whole and stay.
      if (taken.length > 0) await admit(workspace, modelId, taken);
      throw cancel.signal.aborted ? error : new Error(`${order.name}: ${message}`);
    }
    await workspace.arrivals.drop(order.upload);
  }
  if (!dryRun) await admit(workspace, modelId, taken);
  const sum = (of: (load: LoadResult) => number) => loads.reduce((n, load) => n + of(load), 0);
  const rows = sum((l) => l.counts.added + l.counts.changed + l.counts.unchanged);
  const leftOut = sum((l) => l.leftOut + l.counts.refused);
  const detail = `${rows} ${rows === 1 ? 'row' : 'rows'} ${dryRun ? 'would be stored' : 'stored'}${leftOut > 0 ? `, ${leftOut} listed as left out` : ''}`;
  return { detail, loads };
}

/** What becomes of the rows. Throws where rows are to be matched by a key that the table does not have. */
function targetOf(
  workspace: Workspace,
  modelId: number,
  { order }: Coming,
  key: string,
  dryRun: boolean,
): Target {
  const known = workspace.models.head(modelId).model.tables.find((t) => sameName(t.name, order.name));
  const { mode } = order;
  let merge: MergeOrder | undefined;
  if (mode === 'update' || mode === 'add quantities') {
    if (!known?.key?.length)
      throw new Error(
        `rows are matched by key, and ${order.name} has none: say on the Shape stage what its key is`,
      );
    const quantities = known.columns.filter(
      (c) => c.use === 'quantity' && c.formula === undefined && !known.key!.includes(c.name),
    );
    merge = { mode, key: known.key, quantities: quantities.map((c) => c.name) };
    if (mode === 'add quantities' && merge.quantities.length === 0)
      throw new Error(
        `${order.name} has no quantity that could be added: say on the Shape stage which columns are quantities`,
      );
  }
  // Rows that are added are a part of their own.
  const part = order.part ?? (mode === 'add' ? `added ${new Date().toISOString()}` : undefined);
  return {
    workspace: workspace.file,
    scratch: workspace.incoming,
    modelId,
    key,
    replaces: part === undefined ? 'all' : { part },
    misfits: order.misfits,
    merge,
    known: known && { columns: known.columns, key: known.key ?? [] },
    dryRun,
  };
}

/** How a table was loaded, to be kept under a name. */
function recipeOf(name: string, { order, origin }: Coming): RecipeState {
  const { upload: _upload, recipe: _recipe, name: table, ...rest } = order;
  const from = origin && {
    connection: origin.connection,
    ...(origin.schema === undefined ? {} : { schema: origin.schema }),
    table: origin.table,
  };
  return { ...rest, name, table, ...(from ? { origin: from } : {}) };
}

/** Brings all rows of a database's table to where its sample was. */
async function draw(
  workspace: Workspace,
  { order, origin }: Coming,
  signal: AbortSignal,
  tell: (part: number) => void,
): Promise<void> {
  const file = workspace.arrivals.file(order.upload);
  const { connection, columns, nullText, rows } = origin!;
  // How much will come is guessed from the sample; the database knows its rows but roughly.
  const expected = Math.max(1, statSync(file).size) * Math.max(1, (rows ?? 0) / SAMPLED_ROWS);
  let come = 0;
  await workspace.databases.reader(connection).draw(origin!, file, {
    columns: columns.map((c) => c.name),
    nullText,
    signal,
    onBytes: (bytes) => {
      come += bytes;
      tell(Math.min(0.99, come / expected));
    },
  });
}

/** How what came is read. Of a database's table the way of writing is ours, whatever is said. */
function specOf({ order, origin }: Coming): ReadSpec {
  const { name, dialect, fields, nulls, columns } = order;
  return {
    table: name,
    dialect: origin ? DRAWN_DIALECT : dialect,
    ...(origin ? { fields: origin.columns.length } : fields === undefined ? {} : { fields }),
    nulls: origin ? [origin.nullText] : nulls,
    columns: columns.map((c) => ({
      name: c.name,
      fileName: c.fileName,
      ...(c.place === undefined ? {} : { place: c.place }),
      ...readingOf(c),
    })),
  };
}
