import { statSync } from 'node:fs';
import type { ReadSpec } from '@crease/core/reading';
import type { Replaces } from '../store/index.ts';
import type { Workspace } from '../workspace.ts';
import type { Coming } from './admit.ts';
import { SAMPLED_ROWS } from './arrivals.ts';
import { admit, keyFor } from './admit.ts';
import { DRAWN_DIALECT, readingOf } from './previewArrival.ts';
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
  progress: Progress,
  onCancel: OnCancel,
): Promise<string> {
  const cancel = new AbortController();
  onCancel(() => cancel.abort());
  const taken: Coming[] = [];
  let [rows, leftOut] = [0, 0];
  for (const [i, table] of coming.entries()) {
    const { order } = table;
    const key = keyFor(workspace.models.head(modelId).model, table);
    const tell = (part: number) => progress((i + part) / coming.length, order.name);
    try {
      if (cancel.signal.aborted) throw new Error('cancelled');
      if (table.origin) await draw(workspace, table, cancel.signal, (part) => tell(part * DRAWING));
      const begun = table.origin ? DRAWING : 0;
      const replaces: Replaces = order.part === undefined ? 'all' : { part: order.part };
      const target = { workspace: workspace.file, scratch: workspace.incoming, modelId, key, replaces, stopsAt: order.misfits === 'stop' };
      const running = takeIn(workspace.pool, workspace.tables, workspace.arrivals.file(order.upload), specOf(table), target, (part) =>
        tell(begun + part * (1 - begun)),
      );
      onCancel(() => running.stop());
      const stored = await running.done;
      rows += stored.rows;
      leftOut += stored.problems;
      taken.push(table);
    } catch (error) {
      workspace.tables.dropLoading(modelId, key);
      // Tables before this one are whole and stay.
      if (taken.length > 0) await admit(workspace, modelId, taken);
      throw cancel.signal.aborted ? error : new Error(`${order.name}: ${(error as Error).message}`);
    }
    await workspace.arrivals.drop(order.upload);
  }
  await admit(workspace, modelId, taken);
  return `${rows} ${rows === 1 ? 'row' : 'rows'} stored${leftOut > 0 ? `, ${leftOut} listed as left out` : ''}`;
}

/** Brings all rows of a database's table to where its sample was. */
async function draw(workspace: Workspace, { order, origin }: Coming, signal: AbortSignal, tell: (part: number) => void): Promise<void> {
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
