import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, renameSync, rmSync } from 'node:fs';
import { basename, dirname, join } from 'node:path';
import Database from 'better-sqlite3';
import { columnValues } from '@crease/core/columns';
import type { Column } from '@crease/core/columns';
import { tableDefinitions } from '@crease/core/interchange';
import { NO_PART } from '@crease/core/load';
import type { Query, Table } from '@crease/core/model';
import { sameName } from '@crease/core/model';
import type { Answer, ModelData } from '@crease/core/query';
import { DataError, lookForInterruption, ROWS_BETWEEN_LOOKS } from '@crease/core/query';
import type { ReleasedView } from '@crease/core/release';
import { measuresOf, omittedConstraints, releasedTables, viewsOf } from '@crease/core/release';
import { answerOf, compileQuery, quoted, sqlite } from '@crease/core/sql';
import { formatExact, isExact, scaleOf } from '@crease/core/values';
import { hasUniqueRows, knowLetters, runSqlite, storedInSqlite } from '../sources/sqliteDatabase.ts';
import { systemFault } from '../systemFault.ts';

import type { ReleaseOrder, TableContents } from './contents.ts';
import { contentsOf, rowsOfPart, sumsOf } from './contents.ts';
import { checkParts, rowsDrift, whatText } from './order.ts';
import type { PlanItem, Proof, ReleaseOutcome, ReleasePlan } from './plan.ts';
import { ProofError, TargetError } from './plan.ts';
import type { TableState } from './proof.ts';
import { askBoth, compareTable } from './proof.ts';
import { isRunning } from './running.ts';
import type { RecordedObject } from './sqliteRecord.ts';
import { hasRecord, lastRelease, RECORD_TABLES, recordedObjects, writeRecord } from './sqliteRecord.ts';

type Db = Database.Database;

/** What a release does to one table, with what it needs for that. */
interface TableWork {
  readonly contents: TableContents;
  readonly definition: string;
  readonly item: PlanItem;
  readonly before: RecordedObject | undefined;
  /** Parts to load, with their rows. */
  readonly parts: readonly { readonly part: string; readonly rows: Uint32Array }[];
}

interface Work {
  readonly plan: ReleasePlan;
  readonly tables: readonly TableWork[];
  readonly views: readonly (ReleasedView & { readonly full: string; readonly sql: string })[];
  readonly dropped: readonly RecordedObject[];
}

/** What a release to a SQLite file would do. Nothing is written. */
export function planSqlite(file: string, order: ReleaseOrder): ReleasePlan {
  const db = existsSync(file) ? open(file, true) : new Database(':memory:');
  try {
    return makeWork(db, file, order).plan;
  } finally {
    db.close();
  }
}

/**
 * Releases to a SQLite file in one transaction: definitions, rows, proof and record become visible together,
 * or nothing does. A file that is not there yet is written beside its place and moved there. Throws
 * TargetError where the plan has refusals or the file is in use, ProofError where the file would answer
 * otherwise.
 */
export async function releaseToSqlite(file: string, order: ReleaseOrder): Promise<ReleaseOutcome> {
  const begun = performance.now();
  removeLeftovers(file);
  const isNew = !existsSync(file);
  const path = isNew ? `${file}${LEFTOVER}${process.pid}` : file;
  if (isNew) mkdirSync(dirname(file), { recursive: true });
  const db = open(path, false);
  let isDone = false;
  try {
    db.pragma('foreign_keys = off');
    // Definitions of others that name a table go on naming it while it is made anew.
    db.pragma('legacy_alter_table = on');
    if (isNew) db.pragma('journal_mode = delete');
    begin(db, file);
    const work = makeWork(db, file, order);
    if (work.plan.refusals.length > 0) throw new TargetError(work.plan.refusals.join('; '));
    const outcome = await runWork(db, work, order, begun);
    db.exec('commit');
    isDone = true;
    return outcome;
  } finally {
    if (db.inTransaction) db.exec('rollback');
    db.close();
    if (isNew && isDone) renameSync(path, file);
    else if (isNew) rmSync(path, { force: true });
  }
}

const LEFTOVER = '.crease-release-';

/** What a release that was killed left beside a new file. */
function removeLeftovers(file: string): void {
  const folder = dirname(file);
  if (!existsSync(folder)) return;
  for (const name of readdirSync(folder)) {
    if (!name.startsWith(`${basename(file)}${LEFTOVER}`)) continue;
    const pid = Number(/\d+/.exec(name.slice(`${basename(file)}${LEFTOVER}`.length))?.[0]);
    if (!isRunning(pid)) rmSync(join(folder, name), { force: true });
  }
}

function open(file: string, readonly: boolean): Db {
  let db: Db | undefined;
  try {
    db = new Database(file, { readonly, fileMustExist: readonly, timeout: 2000 });
    knowLetters(db);
    // Reading the schema tells whether it is a database at all.
    db.prepare('select count(*) from sqlite_master').get();
    return db;
  } catch (error) {
    db?.close();
    if (systemFault(error)?.code === 'disk-full') throw error;
    throw new TargetError(`${file} cannot be opened as a SQLite file: ${(error as Error).message}`);
  }
}

/** One release at a time: others wait a moment, then are told. */
function begin(db: Db, file: string): void {
  try {
    db.exec('begin immediate');
  } catch (error) {
    if (systemFault(error)?.code === 'disk-full') throw error;
    throw new TargetError(`${file} is being written by somebody else: ${(error as Error).message}`);
  }
}

interface Master {
  readonly type: 'table' | 'view' | 'index' | 'trigger';
  readonly name: string;
  readonly tbl_name: string;
  readonly sql: string | null;
}

const masterOf = (db: Db): Master[] =>
  db
    .prepare(
      `select type, name, tbl_name, sql from sqlite_master where name not like 'sqlite\\_%' escape '\\'`,
    )
    .all() as Master[];

const named = <T extends { readonly name: string }>(list: readonly T[], name: string): T | undefined =>
  list.find((one) => sameName(one.name, name));

function makeWork(db: Db, file: string, order: ReleaseOrder): Work {
  const { data, claims } = order;
  const { model } = data;
  const master = masterOf(db);
  const refusals: string[] = [];
  if (master.length > 0 && !hasRecord(db))
    refusals.push(`${file} holds tables without a record of Crease: choose another file`);
  const taken = releasedTables(model).find((t) => RECORD_TABLES.has(lower(t.name)));
  if (taken) refusals.push(`${taken.name} is the name of a table that Crease keeps its record in: rename it`);
  const recorded = recordedObjects(db);
  const omitted = omittedConstraints(model, claims);
  const definitions = tableDefinitions(model, 'sqlite', omitted);
  const contents = contentsOf(data);
  const drift: string[] = [];
  const notes: string[] = [];
  const tables = definitions.map(({ table, create }): TableWork => {
    const own = contents.find((c) => c.table === table)!;
    const before = named(recorded, table.name);
    const there = named(master, table.name);
    if (there && !before) refusals.push(`${table.name} is at the target already, and was not made by Crease`);
    const changed = before && driftOf(db, before, there, own);
    if (changed !== undefined) drift.push(changed);
    const isSame = before?.definition === create && normalized(there?.sql) === create;
    const parts = order.parts
      .filter((p) => table.partition && sameName(p.table, table.name))
      .map(({ part }) => ({ part, rows: rowsOfPart(own, part) ?? new Uint32Array() }));
    const base = { contents: own, definition: create, before, parts };
    const object = `table ${table.name}`;
    if (!before || !there)
      return {
        ...base,
        item: { object, action: 'create', sql: [create], rows: order.definitionsOnly ? 0 : own.rowCount },
      };
    if (order.definitionsOnly || (order.parts.length > 0 && parts.length === 0))
      return {
        ...base,
        item: isSame
          ? { object, action: 'keep', sql: [] }
          : { object, action: 'alter', sql: remade(db, table, create), ...losesOf(db, table) },
      };
    if (parts.length > 0 && isSame) {
      const rows = parts.reduce((n, p) => n + p.rows.length, 0);
      const sql = parts.map(
        ({ part }) => `delete from ${quoted(table.name)} where ${partCondition(table, part)}`,
      );
      return { ...base, item: { object, action: 'load parts', sql, rows } };
    }
    if (isSame && before.digest === own.digest && changed === undefined)
      return { ...base, item: { object, action: 'keep', sql: [] } };
    return {
      ...base,
      item: {
        object,
        action: 'replace',
        sql: [`drop table ${quoted(table.name)}`, create],
        rows: own.rowCount,
        ...losesOf(db, table),
      },
    };
  });
  // Views of all audiences lie beside the tables: a name that is taken gets a number.
  const names = new Set(releasedTables(model).map((t) => lower(t.name)));
  const views = (model.perspectives ?? []).flatMap((perspective) => {
    const found = viewsOf(data, perspective, sqlite);
    notes.push(...found.faults);
    return found.views.map((view) => {
      let full = `${view.audience}_${view.name}`;
      for (let n = 2; names.has(lower(full)); n++) full = `${view.audience}_${view.name} ${n}`;
      names.add(lower(full));
      return { ...view, full, sql: `create view ${quoted(full)} as ${view.select}` };
    });
  });
  for (const { full } of views)
    if (named(master, full) && !named(recorded, full))
      refusals.push(`${full} is at the target already, and was not made by Crease`);
  const stays = new Set(
    [...releasedTables(model).map((t) => t.name), ...views.map((v) => v.full)].map(lower),
  );
  const dropped = recorded.filter((o) => !stays.has(lower(o.name)) && named(master, o.name));
  const others = master.filter((m) => m.type === 'view' && !named(recorded, m.name) && m.sql !== null);
  for (const { kind, name } of dropped)
    for (const view of others)
      if (kind === 'table' && mentions(view.sql!, name))
        refusals.push(`${name} would be dropped, and the view ${view.name}, which is not Crease's, reads it`);
  const items: PlanItem[] = [
    ...tables.map((t) => t.item),
    ...views.map(({ full, sql }): PlanItem => {
      const was = named(recorded, full);
      const isThere = named(master, full) !== undefined;
      if (was?.definition === sql && isThere) return { object: `view ${full}`, action: 'keep', sql: [] };
      return isThere
        ? { object: `view ${full}`, action: 'replace', sql: [`drop view ${quoted(full)}`, sql] }
        : { object: `view ${full}`, action: 'create', sql: [sql] };
    }),
    ...dropped.map(({ kind, name, state }): PlanItem => ({
      object: `${kind} ${name}`,
      action: 'drop',
      sql: [`drop ${kind} ${quoted(name)}`],
      ...(state ? { loses: `${state.rows} rows` } : {}),
    })),
  ];
  const ofParts = checkParts(order, contents);
  refusals.push(...ofParts.refusals);
  notes.push(...ofParts.notes);
  return {
    plan: {
      target: file,
      release: lastRelease(db) + 1,
      items,
      drift,
      refusals,
      omitted: omitted.told,
      notes,
    },
    tables,
    views,
    dropped,
  };
}

/** A definition as we write it: SQLite keeps its first words in capitals. */
const normalized = (sql: string | null | undefined): string | undefined =>
  sql?.replace(/^create (table|view)\s+/i, (words) => words.toLowerCase());

const lower = (text: string): string => text.toLowerCase();

/** Whether a statement names an object, in quotes or bare. */
const mentions = (sql: string, name: string): boolean =>
  new RegExp(
    `(^|[^\\p{L}\\p{N}_])${name.replaceAll(/[.*+?^${}()|[\]\\]/g, '\\$&')}($|[^\\p{L}\\p{N}_])`,
    'iu',
  ).test(sql);

/** What somebody changed of a table since it was released; undefined for nothing. */
function driftOf(
  db: Db,
  before: RecordedObject,
  there: Master | undefined,
  own: TableContents,
): string | undefined {
  const { name } = before;
  if (!there) return `${name} is gone`;
  if (normalized(there.sql) !== before.definition) return `${name} has another definition`;
  if (!before.state) return undefined;
  const now = stateAt(
    db,
    own.table,
    own.columns.filter((c) => c.name in before.state!.sums),
  );
  return rowsDrift(name, before.state, now);
}

const columnsThere = (db: Db, table: string): string[] =>
  (db.pragma(`table_info(${quoted(table)})`) as { name: string }[]).map((c) => c.name);

/** Statements that give a table another definition and leave its rows: what both have is copied. */
function remade(db: Db, table: Table, create: string): string[] {
  const kept = columnsThere(db, table.name).filter((name) =>
    table.columns.some((c) => sameName(c.name, name)),
  );
  const list = kept.map(quoted).join(', ');
  const old = quoted(`${table.name} before`);
  return [
    `alter table ${quoted(table.name)} rename to ${old}`,
    create,
    ...(kept.length > 0 ? [`insert into ${quoted(table.name)} (${list}) select ${list} from ${old}`] : []),
    `drop table ${old}`,
  ];
}

/** Columns that are there and not in the model. */
function losesOf(db: Db, table: Table): { loses?: string } {
  const gone = columnsThere(db, table.name).filter(
    (name) => !table.columns.some((c) => sameName(c.name, name)),
  );
  return gone.length > 0 ? { loses: gone.join(', ') } : {};
}

/** Rows of a part, as a condition on how days and values are stored. */
function partCondition(table: Table, part: string): string {
  const { by, every } = table.partition!;
  const column = quoted(by);
  if (part === NO_PART) return `${column} is null`;
  if (every === 'value') return `cast(${column} as text) = '${part.replaceAll("'", "''")}'`;
  if (every === 'quarter') {
    const [year, quarter] = part.split('-Q');
    const months = [1, 2, 3].map((m) => String((Number(quarter) - 1) * 3 + m).padStart(2, '0'));
    return `substr(${column}, 1, 7) in (${months.map((m) => `'${year}-${m}'`).join(', ')})`;
  }
  return `substr(${column}, 1, ${part.length}) = '${part.replaceAll("'", "''")}'`;
}

async function runWork(db: Db, work: Work, order: ReleaseOrder, begun: number): Promise<ReleaseOutcome> {
  const { plan, tables, views, dropped } = work;
  const { tell, data } = order;
  const before = brokenViews(db);
  for (const { name, kind } of recordedObjects(db)) {
    // Views rest on tables: they are made again when those are there.
    if (kind === 'view') db.exec(`drop view if exists ${quoted(name)}`);
  }
  let rows = 0;
  for (const { contents, item, parts } of tables) {
    tell(item.object);
    const kept = item.action === 'keep' || item.action === 'create' ? [] : attached(db, contents.table.name);
    for (const sql of item.sql) db.exec(sql);
    if (item.action === 'load parts') for (const part of parts) rows += insertRows(db, contents, part.rows);
    else if ((item.action === 'create' && !order.definitionsOnly) || item.action === 'replace')
      rows += insertRows(db, contents);
    // Indexes and triggers of others went with the table.
    if (item.action !== 'load parts') for (const sql of kept) db.exec(sql);
  }
  for (const { kind, name } of dropped) if (kind === 'table') db.exec(`drop table ${quoted(name)}`);
  for (const { sql } of views) db.exec(sql);
  const broken = brokenViews(db).filter((name) => !before.includes(name));
  if (broken.length > 0)
    throw new TargetError(
      `these views, which are not Crease's, would not work any more: ${broken.join(', ')}. Have their owners change them first`,
    );
  tell('proof');
  const proof = await prove(db, work, order);
  if (proof.differences.length > 0) throw new ProofError(proof);
  const seconds = (performance.now() - begun) / 1000;
  const states = new Map(tables.map((t) => [t, stateAt(db, t.contents.table, t.contents.columns)]));
  writeRecord(
    db,
    {
      release: plan.release,
      model: data.model.name,
      revision: order.revision,
      digest: createHash('sha256').update(order.document).digest('hex'),
      author: order.author,
      at: order.now.toISOString(),
      what: whatText(order),
      rows,
      seconds: Math.round(seconds * 1000) / 1000,
      document: order.document,
    },
    [
      ...tables.map((t): RecordedObject => ({
        kind: 'table',
        name: t.contents.table.name,
        audience: null,
        definition: t.definition,
        digest: digestAfter(t, order),
        state: states.get(t),
      })),
      ...views.map((v): RecordedObject => ({
        kind: 'view',
        name: v.full,
        audience: v.audience,
        definition: v.sql,
        digest: null,
        state: undefined,
      })),
    ],
    measuresOf(data, sqlite),
  );
  return { plan, proof, rows, seconds };
}

/** Of the rows that are there afterwards; null where they are not all of one release. */
function digestAfter({ item, contents, before }: TableWork, order: ReleaseOrder): string | null {
  if (item.action === 'keep') return before?.digest ?? null;
  const isWhole = item.action === 'replace' || (item.action === 'create' && !order.definitionsOnly);
  return isWhole ? contents.digest : null;
}

/** Indexes and triggers on a table that go with it when it is dropped. */
const attached = (db: Db, table: string): string[] =>
  masterOf(db).flatMap((m) =>
    (m.type === 'index' || m.type === 'trigger') && sameName(m.tbl_name, table) && m.sql !== null
      ? [m.sql]
      : [],
  );

/** Views that cannot be read. */
const brokenViews = (db: Db): string[] =>
  masterOf(db).flatMap(({ type, name }) => {
    if (type !== 'view') return [];
    try {
      db.prepare(`select * from ${quoted(name)} limit 0`);
      return [];
    } catch (error) {
      if (error instanceof Database.SqliteError) return [name];
      throw error;
    }
  });

/** Inserts rows of a table, by default all of them; gives how many. */
function insertRows(db: Db, { table, columns, rowCount }: TableContents, rows?: Uint32Array): number {
  const shown = columns.map((c) => storedValues(table, c));
  const places = columns.map(() => '?').join(', ');
  const insert = db.prepare(
    `insert into ${quoted(table.name)} (${table.columns.map((c) => quoted(c.name)).join(', ')}) values (${places})`,
  );
  const count = rows?.length ?? rowCount;
  for (let i = 0; i < count; i++) {
    if (i % ROWS_BETWEEN_LOOKS === 0) lookForInterruption();
    const row = rows ? rows[i]! : i;
    insert.run(...columns.map((c, k) => shown[k]![c.codes[row]!]!));
  }
  return count;
}

/** The values of a column by code as SQLite holds them. Throws TargetError for numbers that it cannot. */
function storedValues(table: Table, column: Column) {
  try {
    return columnValues(column).map((value) => storedInSqlite(value, column.type));
  } catch (error) {
    if (!(error instanceof DataError)) throw error;
    throw new TargetError(
      `${table.name}.${column.name} has numbers that leave the 64 bits that SQLite counts with: release to PostgreSQL or a folder, or leave the column out`,
    );
  }
}

/** Rows and sums of a table at the target, as its columns count them. */
function stateAt(db: Db, table: Table, columns: readonly Column[]): TableState {
  const numbers = columns.filter((c) => isExact(c.type) || c.type.kind === 'double');
  const list = numbers.map((c) => `sum(${sqlite.read(quoted(c.name), c.type)})`);
  const [found] = runSqlite(db, `select ${['count(*)', ...list].join(', ')} from ${quoted(table.name)}`, []);
  const [rows, ...sums] = found!;
  return {
    rows: Number(rows),
    sums: Object.fromEntries(
      numbers.map(({ name, type }, i) => {
        const sum = sums[i] as bigint | number | null;
        if (sum === null) return [name, null];
        return [name, type.kind === 'decimal' ? formatExact(BigInt(sum), scaleOf(type)) : String(sum)];
      }),
    ),
  };
}

/** Compares what stands there now, not visible to others yet, with what is here. */
async function prove(db: Db, { tables, plan }: Work, order: ReleaseOrder): Promise<Proof> {
  const { data } = order;
  const differences: string[] = [];
  for (const violation of db.pragma('foreign_key_check') as { table: string; parent: string }[]) {
    const text = `a row of ${violation.table} refers to no row of ${violation.parent}`;
    if (!differences.includes(text)) differences.push(text);
  }
  const isWhole = !order.definitionsOnly && order.parts.length === 0;
  const compared = tables.map((t) => {
    const found = compareTable(t.contents, stateAt(db, t.contents.table, t.contents.columns));
    const isOurs = isWhole || t.item.action === 'replace' || t.item.action === 'create';
    if (isOurs && !(order.definitionsOnly && t.item.action === 'create')) differences.push(...found);
    for (const part of t.parts)
      if (t.item.action === 'load parts') differences.push(...comparePart(db, t, part));
    return found;
  });
  const older = tables.filter((_, i) => compared[i]!.length > 0).map((t) => t.contents.table.name);
  if (differences.length > 0 || older.length > 0)
    return {
      tables: tables.length,
      questions: 0,
      differences,
      notes:
        older.length > 0 && differences.length === 0
          ? [`${older.join(', ')}: rows there are others than here, so that no questions were compared`]
          : [],
    };
  const released = new Set(plan.items.flatMap(({ object }) => object.replace(/^table /, '').toLowerCase()));
  const isUnique = (table: Table, columns: readonly string[]) => hasUniqueRows(data, table, columns);
  const asked = await askBoth(data, (query) => askAt(db, data, query, isUnique, released));
  return { tables: tables.length, ...asked };
}

function comparePart(
  db: Db,
  { contents }: TableWork,
  { part, rows }: { part: string; rows: Uint32Array },
): string[] {
  const { table, columns } = contents;
  const own = quoted(`${table.name} part`);
  // A view of this connection alone.
  db.exec(
    `create temp view ${own} as select * from main.${quoted(table.name)} where ${partCondition(table, part)}`,
  );
  const state = stateAt(db, { ...table, name: `${table.name} part` }, columns);
  db.exec(`drop view temp.${own}`);
  return compareTable({ ...contents, rowCount: rows.length, sums: sumsOf(columns, rows) }, state).map(
    (text) => `${part}: ${text}`,
  );
}

function askAt(
  db: Db,
  data: ModelData,
  query: Query,
  isUnique: (table: Table, columns: readonly string[]) => boolean,
  released: ReadonlySet<string>,
): Answer {
  const { model, checker, today } = data;
  const compiled = compileQuery({ model, checker, today, isUnique }, query, sqlite, true);
  const parts = [compiled.rows, compiled.totals, ...(compiled.subtotals ?? []).map((s) => s.query)];
  const missing = parts
    .flatMap((p) => [...(p?.tables ?? [])])
    .find((table) => !released.has(table.toLowerCase()));
  if (missing !== undefined) throw new DataError(`${missing} is not released`);
  return answerOf(compiled, sqlite, (sql, parameters) => runSqlite(db, sql, parameters));
}
