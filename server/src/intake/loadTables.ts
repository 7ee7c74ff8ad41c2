import { statSync } from 'node:fs';
import { Readable } from 'node:stream';
import type { LoadResult } from '@crease/contract';
import type { MergeOrder } from '@crease/core/load';
import type { Model } from '@crease/core/model';
import { sameName } from '@crease/core/model';
import type { ReadSpec } from '@crease/core/reading';
import { counted, numberText } from '@crease/core/values';
import { tableText } from '../databases/reader.ts';
import type { Workspace } from '../workspace.ts';
import { ServerError } from '../errors.ts';
import type { PendingTable, StoredTable } from './registerTables.ts';
import { SAMPLED_ROWS } from './uploads.ts';
import { registerTables, keyFor } from './registerTables.ts';
import { DRAWN_DIALECT, readingOf } from './previewUpload.ts';
import { partsOrder } from './partsOrder.ts';
import type { Stored, Target } from './loadTable.ts';
import { loadTable } from './loadTable.ts';
import { isParquet } from '../sources/fileTable.ts';
import type { Unknown } from './unknownMembers.ts';
import { membersFile, outgoingOf, toAdd } from './unknownMembers.ts';
import { leftOutFile, leftOutRowsOfDatabase, leftOutRowsOfParquet } from './wholeLines.ts';

type Progress = (part: number, detail: string) => void;
type OnCancel = (stop: () => void) => void;

/** Shares of a database table's load: its rows are drawn first, then read like a file. */
const DRAWING = 0.5;

/** What is to be loaded, and for whom. */
export interface LoadOrder {
  readonly modelId: number;
  readonly coming: readonly PendingTable[];
  readonly dryRun: boolean;
  /** The window that asked, or who else. */
  readonly by: string;
}

/**
 * Stores tables one after the other, and makes them visible together. Where one fails those before it are
 * whole, and become visible. Gives what to say at the end.
 */
export async function loadTables(
  workspace: Workspace,
  { modelId, coming, dryRun, by }: LoadOrder,
  progress: Progress,
  onCancel: OnCancel,
): Promise<{ detail: string; loads: LoadResult[] }> {
  const cancel = new AbortController();
  onCancel(() => cancel.abort());
  const loads: LoadResult[] = [];
  const stored: StoredTable[] = [];
  const unknown: (readonly Unknown[])[] = [];
  const { model } = workspace.models.head(modelId);
  for (const [i, table] of dimensionsFirst(model, coming).entries()) {
    const { order } = table;
    const key = keyFor(workspace.models.head(modelId).model, table);
    const tell = (part: number, step = stepOf(part)) =>
      progress((i + part) / coming.length, `${order.name}: ${step}`);
    const entry = entryOf(table);
    try {
      if (cancel.signal.aborted) throw new ServerError('cannot-answer', 'cancelled');
      const begun = performance.now();
      const {
        result,
        pending,
        leftOut: records,
        unknown: found,
      } = await storeOne(
        workspace,
        table,
        {
          ...targetOf(workspace, modelId, table, key, dryRun),
          ...referencesOf(workspace, modelId, table, stored),
        },
        { cancel, tell, onCancel },
      );
      if (order.unknown === 'add') unknown.push(found);
      const told = dryRun && records !== undefined ? { leftOutFile: records } : {};
      loads.push({ table: order.name, ...result, ...told });
      const { counts, removed, leftOut, rows, parts, unknown: members } = result;
      const done = {
        counts,
        removed,
        leftOut,
        rows,
        ...(parts ? { parts: parts.map((p) => p.name) } : {}),
        ...(members ? { unknown: members } : {}),
      };
      if (pending)
        stored.push({
          table,
          pending,
          tookMs: performance.now() - begun,
          entry: { ...entry, outcome: 'done', ...done },
          leftOut: records,
        });
    } catch (error) {
      const { message } = error as Error;
      const { aborted } = cancel.signal;
      if (!dryRun)
        workspace.loads.note(modelId, { ...entry, outcome: aborted ? 'cancelled' : 'failed', message });
      if (stored.length > 0) await registered(workspace, modelId, stored, toAdd(unknown), by);
      throw aborted ? error : named(error as Error, order.name);
    }
    if (!dryRun) await workspace.uploads.drop(order.upload);
  }
  if (!dryRun) {
    const isJudged = stored.some(({ table }) => table.order.broken === 'stop');
    progress(1, isJudged ? 'judging, and making it visible' : 'making it visible');
    loads.push(...(await registered(workspace, modelId, stored, toAdd(unknown), by)));
  }
  loads.sort((a, b) => placeOf(coming, a) - placeOf(coming, b));
  const sum = (of: (load: LoadResult) => number) => loads.reduce((n, load) => n + of(load), 0);
  const rows = sum((l) => l.counts.added + l.counts.changed + l.counts.unchanged);
  const leftOut = sum((l) => l.leftOut + l.counts.refused);
  const detail = `${counted(rows, 'row')} ${dryRun ? 'would be stored' : 'stored'}${leftOut > 0 ? `, ${numberText(leftOut)} listed as left out` : ''}${membersText(loads)}`;
  return { detail, loads };
}

/** What is done once so much of a table's load is done. */
const stepOf = (part: number): string => (part < READ ? 'reading' : 'encoding');
const READ = 0.7;

/** References to members that are not there, in few words. */
function membersText(loads: readonly LoadResult[]): string {
  const all = loads.flatMap((load) => load.unknown ?? []);
  const rows = all.reduce((sum, { rows: own }) => sum + own, 0);
  const dimensions = [...new Set(all.map(({ dimension }) => dimension))].join(', ');
  return rows === 0 ? '' : `, ${rows} refer to members that are not in ${dimensions}`;
}

/** In the order in which they were asked for; dimensions that only grew come last. */
const placeOf = (coming: readonly PendingTable[], { table }: LoadResult): number => {
  const at = coming.findIndex((c) => c.order.name === table);
  return at < 0 ? coming.length : at;
};

/** Tables that others of them refer to come first, so that their new members are known. */
function dimensionsFirst(model: Model, coming: readonly PendingTable[]): PendingTable[] {
  const done: PendingTable[] = [];
  const open = new Set<string>();
  const visit = (table: PendingTable): void => {
    const name = table.order.name.toLowerCase();
    if (done.includes(table) || open.has(name)) return;
    open.add(name);
    for (const r of model.relationships ?? []) {
      if (r.from.table.toLowerCase() !== name) continue;
      const to = coming.find((c) => sameName(c.order.name, r.to.table));
      if (to) visit(to);
    }
    done.push(table);
  };
  coming.forEach(visit);
  return done;
}

/** What a table's rows refer to, with the rows that have been stored before them in the same load. */
function referencesOf(
  workspace: Workspace,
  modelId: number,
  { order }: PendingTable,
  stored: readonly StoredTable[],
): Pick<Target, 'references' | 'unknown'> {
  const { model } = workspace.models.head(modelId);
  const coming = stored.map(({ table, pending }) => ({ key: keyFor(model, table), rows: pending }));
  const versions = workspace.tables.versionsWith(modelId, coming);
  const names = order.columns.map((c) => c.name);
  return {
    references: outgoingOf(model, order.name, names, (key) => versions[key]),
    unknown: order.unknown,
  };
}

/**
 * Adds members to a dimension by its key: to rows of it that come in the same load, or as a load of its own
 * that becomes visible with the others.
 */
async function addMembers(
  workspace: Workspace,
  modelId: number,
  dimension: string,
  members: readonly (readonly string[])[],
  stored: StoredTable[],
): Promise<LoadResult> {
  const { model } = workspace.models.head(modelId);
  const table = model.tables.find((t) => sameName(t.name, dimension))!;
  const begun = performance.now();
  const upload = await workspace.uploads.receive(
    'unmatched.csv',
    Readable.from([membersFile(table, table.key!, members)]),
  );
  const order: PendingTable['order'] = {
    upload: upload.id,
    name: table.name,
    dialect: MEMBERS_DIALECT,
    nulls: [''],
    columns: table.columns
      .filter((c) => c.formula === undefined)
      .map(({ name, type }) => ({ name, fileName: name, type })),
    misfits: 'null',
    mode: 'update',
    broken: 'store',
    unknown: 'list',
  };
  const pendingTable: PendingTable = { order, file: 'unmatched members', origin: undefined, grows: true };
  const key = keyFor(model, pendingTable);
  const at = stored.findIndex(({ table: other }) => keyFor(model, other) === key);
  const coming = at < 0 ? undefined : stored[at]!;
  const onto = coming && workspace.tables.versionsWith(modelId, [{ key, rows: coming.pending }])[key];
  const whole = new AbortController();
  const { result, pending } = await storeOne(
    workspace,
    pendingTable,
    { ...targetOf(workspace, modelId, pendingTable, key, false), onto },
    { cancel: whole, tell: () => undefined, onCancel: () => undefined },
  );
  await workspace.uploads.drop(upload.id);
  const { counts, removed, leftOut, rows } = result;
  if (coming) {
    dropRows(workspace, coming);
    stored[at] = { ...coming, pending: pending!, entry: { ...coming.entry, rows } };
  } else
    stored.push({
      table: pendingTable,
      pending: pending!,
      tookMs: performance.now() - begun,
      entry: { ...entryOf(pendingTable), outcome: 'done', counts, removed, leftOut, rows },
      leftOut: undefined,
    });
  return { table: table.name, ...result };
}

const dropRows = ({ tables }: Workspace, { pending }: StoredTable): void =>
  pending.tables.forEach(({ tableId }) => tables.drop(tableId));

const MEMBERS_DIALECT = {
  delimiter: ',',
  quote: '"',
  header: true,
  encoding: 'utf-8',
  newline: '\n',
} as const;

/**
 * Makes what was stored visible, with new members of dimensions, of which it tells. Where claims or a fault
 * stop it nothing of it stays, and the log says so of each of its tables.
 */
async function registered(
  workspace: Workspace,
  modelId: number,
  stored: StoredTable[],
  members: ReturnType<typeof toAdd>,
  by: string,
): Promise<LoadResult[]> {
  const grown: LoadResult[] = [];
  try {
    for (const [dimension, texts] of members)
      grown.push(await addMembers(workspace, modelId, dimension, texts, stored));
    await registerTables(workspace, modelId, stored, by);
    return grown;
  } catch (error) {
    const { message } = error as Error;
    for (const rows of stored) {
      const { entry } = rows;
      dropRows(workspace, rows);
      const { table, source, mode, recipe } = entry;
      const kept = { table, source, mode, ...(recipe === undefined ? {} : { recipe }) };
      workspace.loads.note(modelId, { ...kept, outcome: 'failed', message });
    }
    throw error;
  }
}

/** The error with the table's name in front; its kind stays. */
function named(error: Error, table: string): Error {
  error.message = `${table}: ${error.message}`;
  return error;
}

function entryOf({ order, origin, file }: PendingTable) {
  return {
    table: order.name,
    source: origin ? `${origin.connection}: ${tableText(origin)}` : file,
    mode: order.mode,
    ...(order.recipe === undefined ? {} : { recipe: order.recipe }),
  };
}

async function storeOne(
  workspace: Workspace,
  table: PendingTable,
  target: Target,
  {
    cancel,
    tell,
    onCancel,
  }: { cancel: AbortController; tell: (part: number, step?: string) => void; onCancel: OnCancel },
): Promise<Stored & { readonly leftOut: string | undefined }> {
  const { order, origin } = table;
  if (origin) await draw(workspace, table, cancel.signal, (part) => tell(part * DRAWING, 'drawing rows'));
  const begun = origin ? DRAWING : 0;
  return workspace.uploads.withFile(order.upload, async (file) => {
    const running = loadTable(
      workspace,
      workspace.tables,
      file,
      specOf(table),
      { ...target, onStep: (step) => tell(1, step) },
      (part) => tell(begun + part * (1 - begun), stepOf(part)),
    );
    onCancel(() => running.stop());
    const stored = await running.done;
    if (stored.notTaken.length === 0) return { ...stored, leftOut: undefined };
    const leftOut = await (origin
      ? leftOutRowsOfDatabase(file, origin.nullText, stored.notTaken)
      : isParquet(file)
        ? leftOutRowsOfParquet(file, stored.notTaken)
        : leftOutFile(file, order.dialect, stored.notTaken));
    return { ...stored, leftOut };
  });
}

/** What becomes of the rows. Throws where rows are to be matched by a key that the table does not have. */
function targetOf(
  workspace: Workspace,
  modelId: number,
  { order }: PendingTable,
  key: string,
  dryRun: boolean,
): Target {
  const known = workspace.models.head(modelId).model.tables.find((t) => sameName(t.name, order.name));
  const { mode } = order;
  let merge: MergeOrder | undefined;
  if (mode === 'update' || mode === 'add quantities') {
    if (!known?.key?.length)
      throw new ServerError(
        'cannot-answer',
        `rows are matched by key, and ${order.name} has none: set its key on the Shape stage`,
      );
    const quantities = known.columns.filter(
      (c) => c.use === 'quantity' && c.formula === undefined && !known.key!.includes(c.name),
    );
    merge = { mode, key: known.key, quantities: quantities.map((c) => c.name) };
    if (mode === 'add quantities' && merge.quantities.length === 0)
      throw new ServerError(
        'cannot-answer',
        `${order.name} has no quantities to add: set the use of its columns on the Shape stage`,
      );
  }
  const parts = known && partsOrder(known, order);
  // Rows that are added are a part of their own.
  const part = parts
    ? undefined
    : (order.part ?? (mode === 'add' ? `added ${new Date().toISOString()}` : undefined));
  return {
    workspace: workspace.file,
    scratch: workspace.incoming,
    modelId,
    key,
    replaces: part === undefined ? 'all' : { part },
    misfits: order.misfits,
    merge,
    parts,
    known: known && { columns: known.columns, key: known.key ?? [] },
    dryRun,
  };
}

/** Brings all rows of a database's table to where its sample was. */
async function draw(
  workspace: Workspace,
  { order, origin }: PendingTable,
  signal: AbortSignal,
  tell: (part: number) => void,
): Promise<void> {
  const file = workspace.uploads.file(order.upload);
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
function specOf({ order, origin }: PendingTable): ReadSpec {
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
