import type { DatabaseTable, IntakeRequest, LoadEntry, RecipeState } from '@crease/contract';
import type { Model, ModelColumn, Table } from '@crease/core/model';
import { sameName, fileOf, writeModel } from '@crease/core/model';
import { followedBy } from '@crease/core/calendar';
import { ServerError } from '../errors.ts';
import { brokenClaims } from '../judging/brokenClaims.ts';
import { sourceKey } from '../store/index.ts';
import type { Workspace } from '../workspace.ts';
import { asDeclared, connectionSource } from './declared.ts';
import type { Origin } from './uploads.ts';
import type { PendingRows } from './loadTable.ts';
import { tableText } from '../databases/reader.ts';
import { unitFormat } from '@crease/core/values';

type Order = IntakeRequest['tables'][number];
type FileSource = Extract<NonNullable<Table['source']>, { file: string }>;

/** A table on its way in: what was asked for, and where it comes from. */
export interface PendingTable {
  readonly order: Order;
  /** Name of the file; of a database the table's. */
  readonly file: string;
  readonly origin: Origin | undefined;
  /** Set where parts were chosen for this load alone: what the recipe keeps in their place. */
  readonly usualParts?: { readonly parts?: string[] | undefined };
  /** Members are added to a table that stays what it is in the model. */
  readonly grows?: boolean;
}

/**
 * An order as the model has it: a table that is there is read with its types, whatever its new file looks
 * like. How dates and numbers are written is the file's own matter where it is written as the same type.
 */
export function asModel(order: Order, model: Model): Order {
  const table = model.tables.find((t) => sameName(t.name, order.name));
  if (!table) return order;
  const columns = order.columns.map((c) => {
    const had = table.columns.find((m) => m.formula === undefined && sameName(m.name, c.name));
    if (!had || had.type === c.type) return c;
    const { pattern: own, ...rest } = c;
    const kind = (type: string) => type.replace(/\(.*$/, '');
    const pattern = kind(had.type) === kind(c.type) ? own : had.pattern;
    return { ...rest, type: had.type, ...(pattern === undefined ? {} : { pattern }) };
  });
  return { ...order, name: table.name, columns };
}

/** Refuses names that are taken or double, and sources that a table does not have. */
export function checkNames(coming: readonly PendingTable[], model: Model): void {
  for (const [i, { order, origin }] of coming.entries()) {
    const existing = model.tables.find((t) => sameName(t.name, order.name));
    const followed = followedBy(model, order.name);
    if (followed)
      throw new ServerError(
        'cannot-answer',
        `${order.name} follows the calendar of ${followed.model}: load it there, or make it a copy first`,
      );
    const [kind, of] = origin ? ['connection', 'database'] : ['file', 'file'];
    if (existing?.source && !(kind! in existing.source))
      throw new ServerError(
        'wrong-shape',
        `the rows of ${existing.name} come from no ${of}: give the table of this ${of} another name`,
      );
    if (coming.some((other, j) => j < i && sameName(other.order.name, order.name)))
      throw new ServerError('wrong-shape', `two of the tables are named ${order.name}: rename one of them`);
    const names = order.columns.map((c) => c.name.toLowerCase());
    const twice = names.find((name, j) => names.indexOf(name) !== j);
    if (twice !== undefined) throw new ServerError('wrong-shape', `${order.name} has two columns ${twice}`);
  }
}

/** A table that is loaded again keeps its key; a new one, or one that is designed, is known by its source. */
export function keyFor(model: Model, { order, file, origin }: PendingTable): string {
  const existing = model.tables.find((t) => sameName(t.name, order.name));
  if (existing?.source) return sourceKey(existing);
  return sourceKey({
    name: order.name,
    source: origin ? connectionSource(origin) : { file: freeFile(model, order.name, file) },
  });
}

const freeFile = (model: Model, name: string, file: string): string =>
  model.tables.some((t) => sameName(fileOf(t)?.file ?? '', file))
    ? `${name}${/(\.[a-z]+(\.gz)?)$/i.exec(file)?.[1] ?? ''}`
    : file;

/** A table whose rows are stored and not visible yet. */
export interface StoredTable {
  readonly table: PendingTable;
  readonly pending: PendingRows;
  /** How long it took to read and store. */
  readonly tookMs: number;
  /** What the log is to say of it. */
  readonly entry: Omit<LoadEntry, 'at' | 'id'>;
  /** Records that were not taken, as a file. */
  readonly leftOut: string | undefined;
}

/**
 * Makes rows that have been stored visible, together with their tables in the model and their entries in the
 * log, in one transaction; of databases with the keys and references that they declare. `by` is the window
 * that asked for it.
 */
export async function registerTables(
  workspace: Workspace,
  modelId: number,
  stored: readonly StoredTable[],
  by: string,
): Promise<void> {
  const taken = stored.map(({ table }) => table);
  const declared = await declaredKeys(workspace, taken);
  const admit = (model: Model) =>
    [...declared].reduce((m, [name, found]) => asDeclared(m, name, found), taken.reduce(admitted, model));
  if (taken.some((t) => t.order.broken === 'stop')) await checkClaims(workspace, modelId, stored, admit);
  const names = taken.map((t) => t.order.name).join(', ');
  const { tables, loads, models } = workspace;
  const before = models.head(modelId).id;
  const revision = models.change(modelId, admit, `loaded ${names}`, {
    by,
    before: () => {
      for (const { table, pending, tookMs } of stored) {
        const key = keyFor(models.head(modelId).model, table);
        tables.finishAll(modelId, key, pending);
        for (const { tableId } of pending.tables)
          tables.setOrigin(tableId, table.origin ? tableText(table.origin) : table.file, tookMs);
      }
    },
  });
  for (const { table, entry, leftOut } of stored) {
    loads.note(modelId, { ...entry, before, revision: revision.id }, leftOut);
    if (table.order.recipe !== undefined) loads.keep(modelId, recipeOf(table.order.recipe, table));
  }
  workspace.pruneRows(modelId);
  workspace.changed(modelId, revision, by);
}

/**
 * Judges the rows before they become visible. Throws StoppedLoad where a blocking claim would be broken that
 * is not broken now; then the rows are gone.
 */
async function checkClaims(
  workspace: Workspace,
  modelId: number,
  stored: readonly StoredTable[],
  admit: (model: Model) => Model,
): Promise<void> {
  const { tables, models, pool, claims } = workspace;
  const { model } = models.head(modelId);
  const coming = stored.map(({ table, pending }) => ({ key: keyFor(model, table), rows: pending }));
  const drop = () => coming.forEach(({ rows }) => rows.tables.forEach(({ tableId }) => tables.drop(tableId)));
  try {
    const before = (await brokenClaims(workspace, modelId)) ?? [];
    const broken = await pool.load('judgeLoad', {
      ...workspace.task(modelId),
      document: writeModel(admit(model)),
      versions: tables.versionsWith(modelId, coming),
      known: claims.known(modelId),
    });
    const fresh = broken.filter(({ id }) => !before.includes(id));
    if (fresh.length > 0) throw new StoppedLoad(fresh);
  } catch (error) {
    drop();
    throw error;
  }
}

const MOST_NAMED = 5;
/** A load whose rows would break what is claimed of them. Nothing of it is visible. */
export class StoppedLoad extends ServerError {
  constructor(broken: readonly { readonly id: string; readonly found: string }[]) {
    const named = broken.slice(0, MOST_NAMED).map(({ id, found }) => `${id} (${found})`);
    const more = broken.length > MOST_NAMED ? `, and ${broken.length - MOST_NAMED} more` : '';
    super('blocked', `stopped, nothing was stored: it would break ${named.join(', ')}${more}`);
  }
}

async function declaredKeys(
  workspace: Workspace,
  taken: readonly PendingTable[],
): Promise<Map<string, DatabaseTable[]>> {
  const connections = [...new Set(taken.flatMap(({ origin }) => (origin ? [origin.connection] : [])))];
  const declared = new Map<string, DatabaseTable[]>();
  for (const name of connections) {
    try {
      declared.set(name, await workspace.databases.reader(name).tables());
    } catch (error) {
      // The rows are stored: that the database is gone now costs no more than what it declares.
      workspace.log.error({ error: String(error) }, `the keys of ${name} could not be read`);
    }
  }
  return declared;
}

/** How a table was loaded, to be kept under a name. */
function recipeOf(name: string, { order, origin, usualParts }: PendingTable): RecipeState {
  const { upload: _upload, recipe: _recipe, parts: chosen, name: table, ...rest } = order;
  const parts = usualParts ? usualParts.parts : chosen;
  const from = origin && {
    connection: origin.connection,
    ...(origin.schema === undefined ? {} : { schema: origin.schema }),
    table: origin.table,
  };
  return { ...rest, ...(parts ? { parts } : {}), name, table, ...(from ? { origin: from } : {}) };
}

function admitted(model: Model, { order, file, origin, grows }: PendingTable): Model {
  if (grows) return model;
  const columns = order.columns.map((c): ModelColumn => ({
    name: c.name,
    type: c.type,
    // Rows of a database are written down by us: how is nobody's business.
    ...(c.pattern && !origin ? { pattern: c.pattern } : {}),
    ...unitFormat(c.pattern),
    ...(c.name === c.fileName || (!order.dialect.header && !origin) ? {} : { sourceName: c.fileName }),
    use: c.use ?? ('attribute' as const),
    ...(c.aggregate === undefined ? {} : { aggregate: c.aggregate }),
  }));
  const at = model.tables.findIndex((t) => sameName(t.name, order.name));
  const before = model.tables[at];
  if (before) {
    // Loaded again: what people said of its columns stays, types follow the rows.
    const merged = columns.map((c) => ({
      ...(before.columns.find((b) => sameName(b.name, c.name)) ?? c),
      type: c.type,
      ...(c.pattern ? { pattern: c.pattern } : {}),
      ...(c.sourceName !== undefined ? { sourceName: c.sourceName } : {}),
    }));
    const derived = before.columns.filter(
      (c) => c.formula !== undefined && !merged.some((m) => sameName(m.name, c.name)),
    );
    // What was corrected now holds for the next load, too.
    const known = fileOf(before)?.file ?? freeFile(model, order.name, file);
    const source = origin ? (before.source ?? connectionSource(origin)) : { file: known, ...layoutOf(order) };
    const again = { ...before, source, columns: [...merged, ...derived] };
    return { ...model, tables: model.tables.map((t, i) => (i === at ? again : t)) };
  }
  const source = origin
    ? connectionSource(origin)
    : { file: freeFile(model, order.name, file), ...layoutOf(order) };
  const made: Table = { name: order.name, role: 'staging', source, columns };
  return { ...model, tables: [...model.tables, made] };
}

/** How a file is laid out, as far as it is not what is taken for granted. */
function layoutOf({ dialect, nulls, columns }: Order): Omit<FileSource, 'file'> {
  const { delimiter, quote, header, skip, encoding } = dialect;
  const thousands = columns.find((c) => c.thousands !== undefined)?.thousands;
  return {
    ...(delimiter === ',' ? {} : { delimiter }),
    ...(quote === '"' ? {} : { quote }),
    ...(header ? {} : { header }),
    ...(skip ? { skip } : {}),
    ...(nulls.length === 1 && nulls[0] === '' ? {} : { nulls }),
    ...(encoding === 'utf-8' ? {} : { encoding }),
    ...(columns.some((c) => c.decimalComma) ? { decimalComma: true } : {}),
    ...(thousands === undefined ? {} : { thousands }),
  };
}
