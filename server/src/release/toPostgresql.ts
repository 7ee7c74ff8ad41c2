import { createHash, randomUUID } from 'node:crypto';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import pg from 'pg';
import { from as copyFrom } from 'pg-copy-streams';
import type { Column } from '@crease/core/columns';
import { columnValues } from '@crease/core/columns';
import { tableDefinitions } from '@crease/core/interchange';
import { NO_PART } from '@crease/core/load';
import type { Query, ReleaseTarget, Table } from '@crease/core/model';
import { sameName } from '@crease/core/model';
import type { Answer } from '@crease/core/query';
import { DataError } from '@crease/core/query';
import type { ReleasedView } from '@crease/core/release';
import { measuresOf, omittedConstraints, releasedTables, viewsOf } from '@crease/core/release';
import { compileQuery, postgresql, quoted } from '@crease/core/sql';
import { formatExact, isExact, scaleOf, textReader, toText } from '@crease/core/values';
import { hasUniqueRows } from '../sources/sqliteDatabase.ts';
import type { ReleaseOrder, TableContents } from './contents.ts';
import { contentsOf, rowsOfPart, sumsOf } from './contents.ts';
import { checkParts, rowsDrift, whatText } from './order.ts';
import type { PlanItem, Proof, ReleaseOutcome, ReleasePlan } from './plan.ts';
import { ProofError, TargetError } from './plan.ts';
import { answerInPostgresql } from './postgresqlCells.ts';
import type { RecordedObject } from './postgresqlRecord.ts';
import { hasRecord, lastRelease, recordedObjects, writeRecord } from './postgresqlRecord.ts';
import type { TableState } from './proof.ts';
import { askBoth, compareTable } from './proof.ts';

/** A schema of PostgreSQL, and the account that writes there. */
export interface PostgresqlTarget {
  readonly target: Extract<ReleaseTarget, { kind: 'postgresql' }>;
  readonly place: pg.ClientConfig;
}

/** What a release to a schema would do. Nothing is written. */
export const planPostgresql = (to: PostgresqlTarget, order: ReleaseOrder): Promise<ReleasePlan> =>
  within(to, async (client) => (await makeWork(client, to, order)).plan, 'read only');

/**
 * Releases to a schema in one transaction. Rows come by COPY into a schema that nobody else sees; there they
 * are proved, and take the place of what was there at the very end. A kill at any moment leaves the target as
 * it was. Throws TargetError where the plan has refusals or the server says no, ProofError where it would
 * answer otherwise.
 */
export function releaseToPostgresql(to: PostgresqlTarget, order: ReleaseOrder): Promise<ReleaseOutcome> {
  const begun = performance.now();
  return within(to, async (client) => {
    const { schema } = to.target;
    const { rows } = await client.query<{ taken: boolean }>(
      `select pg_try_advisory_xact_lock(hashtextextended($1, 20260630)) as taken`,
      [`crease ${schema}`],
    );
    if (!rows[0]!.taken) throw new TargetError(`${schema} is being released to by somebody else`);
    const work = await makeWork(client, to, order);
    if (work.plan.refusals.length > 0) throw new TargetError(work.plan.refusals.join('; '));
    return runWork(client, to, work, order, begun);
  });
}

async function within<T>(
  { place, target }: PostgresqlTarget,
  act: (client: pg.Client) => Promise<T>,
  mode = 'read write',
): Promise<T> {
  const client = new pg.Client({
    ...place,
    connectionTimeoutMillis: 10_000,
    application_name: 'crease release',
    options:
      '-c datestyle=ISO,YMD -c client_encoding=UTF8 -c client_min_messages=warning -c extra_float_digits=1',
  });
  let broken: Error | undefined;
  client.on('error', (error) => (broken = error));
  try {
    await client.connect();
    await client.query(`begin transaction isolation level repeatable read, ${mode}`);
    const result = await act(client);
    await client.query('commit');
    return result;
  } catch (error) {
    await client.query('rollback').catch(() => undefined); // the connection may have gone
    const fault = broken ?? error;
    if (fault instanceof TargetError || fault instanceof ProofError || fault instanceof DataError)
      throw fault;
    const { code, message } = fault as { code?: string; message: string };
    // Errors of the server and of the network have a code; anything else is a fault of ours.
    if (code === undefined) throw fault;
    throw new TargetError(`${target.name}: ${message} (${code})`);
  } finally {
    await client.end().catch(() => undefined); // it may have gone before
  }
}

interface TableWork {
  readonly contents: TableContents;
  readonly definition: string;
  readonly item: PlanItem;
  readonly before: RecordedObject | undefined;
  /** Something of others hangs on it: its rows are replaced in place. */
  readonly isHeld: boolean;
  readonly parts: readonly { readonly part: string; readonly rows: Uint32Array }[];
}

interface View extends ReleasedView {
  readonly schema: string;
  readonly sql: string;
}

interface Work {
  readonly plan: ReleasePlan;
  readonly tables: readonly TableWork[];
  readonly views: readonly View[];
  readonly dropped: readonly RecordedObject[];
  readonly recorded: readonly RecordedObject[];
}

/** A relation of the catalog, with its columns as text. */
interface Relation {
  readonly schema: string;
  readonly name: string;
  readonly kind: string;
  readonly columns: string;
}

async function relationsOf(client: pg.Client, schemas: readonly string[]): Promise<Relation[]> {
  const { rows } = await client.query<Relation>(
    `select n.nspname as schema, c.relname as name, c.relkind as kind,
       coalesce((select string_agg(quote_ident(a.attname) || ' ' || format_type(a.atttypid, a.atttypmod) || case when a.attnotnull then ' not null' else '' end, ', ' order by a.attnum)
         from pg_attribute a where a.attrelid = c.oid and a.attnum > 0 and not a.attisdropped), '') as columns
     from pg_class c join pg_namespace n on n.oid = c.relnamespace
     where n.nspname = any ($1) and c.relkind in ('r', 'p', 'v', 'm', 'f', 'S')`,
    [schemas],
  );
  return rows;
}

/** What others have hung on a table: views, foreign keys, indexes, triggers, rights. */
async function hangingOn(client: pg.Client, schema: string, table: string, ours: ReadonlySet<string>) {
  const { rows } = await client.query<{ what: string; key: string }>(
    `with t as (select c.oid, c.relacl from pg_class c join pg_namespace n on n.oid = c.relnamespace where n.nspname = $1 and c.relname = $2)
     select distinct 'the view ' || v.oid::regclass as what, n.nspname || '.' || v.relname as key
       from t join pg_depend d on d.refclassid = 'pg_class'::regclass and d.refobjid = t.oid and d.classid = 'pg_rewrite'::regclass
         join pg_rewrite r on r.oid = d.objid join pg_class v on v.oid = r.ev_class join pg_namespace n on n.oid = v.relnamespace
     union all select 'the foreign key ' || k.conname || ' of ' || k.conrelid::regclass, n.nspname || '.' || c.relname
       from t join pg_constraint k on k.confrelid = t.oid and k.contype = 'f' join pg_class c on c.oid = k.conrelid join pg_namespace n on n.oid = c.relnamespace
     union all select 'the index ' || i.indexrelid::regclass, ''
       from t join pg_index i on i.indrelid = t.oid where not exists (select 1 from pg_constraint k where k.conindid = i.indexrelid and k.contype in ('p', 'u', 'x'))
     union all select 'the trigger ' || g.tgname, '' from t join pg_trigger g on g.tgrelid = t.oid and not g.tgisinternal
     union all select 'rights of others', '' from t where t.relacl is not null`,
    [schema, table],
  );
  return rows.filter(({ key }) => key === '' || !ours.has(key.toLowerCase())).map(({ what }) => what);
}

const lower = (text: string): string => text.toLowerCase();
const keyOf = ({ schema, name }: { schema: string; name: string }): string => lower(`${schema}.${name}`);
const isTable = ({ kind }: Relation): boolean => kind === 'r' || kind === 'p';

async function makeWork(client: pg.Client, { target }: PostgresqlTarget, order: ReleaseOrder): Promise<Work> {
  const { schema } = target;
  const { data, claims } = order;
  const { model } = data;
  const refusals: string[] = [];
  const notes: string[] = [];
  const drift: string[] = [];
  const isRecorded = await hasRecord(client, schema);
  const recorded = isRecorded ? await recordedObjects(client, schema) : [];
  const views = (model.perspectives ?? []).flatMap((perspective): View[] => {
    const found = viewsOf(data, perspective, postgresql, (table) => `${quoted(schema)}.${quoted(table)}`);
    notes.push(...found.faults);
    const own = `${schema}_${perspective.name}`;
    return found.views.map((view) => ({
      ...view,
      schema: own,
      sql: `create view ${quoted(own)}.${quoted(view.name)} as ${view.select}`,
    }));
  });
  const schemas = [...new Set([schema, ...views.map((v) => v.schema), ...recorded.map((o) => o.schema)])];
  const relations = await relationsOf(client, schemas);
  const there = (of: string, name: string) => relations.find((r) => r.schema === of && r.name === name);
  const known = (of: string, name: string) => recorded.find((o) => o.schema === of && o.name === name);
  if (!isRecorded && relations.some((r) => r.schema === schema))
    refusals.push(`the schema ${schema} holds objects without a record of Crease: choose another schema`);
  const tooLong = [
    ...releasedTables(model).map((t) => t.name),
    ...views.flatMap((v) => [v.schema, v.name]),
  ].find((name) => Buffer.byteLength(name) > MOST_BYTES);
  if (tooLong !== undefined) refusals.push(`${tooLong} is longer than the ${MOST_BYTES} bytes of a name`);
  const ours = new Set(recorded.map(keyOf));
  const omitted = omittedConstraints(model, claims);
  const contents = contentsOf(data);
  const tables: TableWork[] = [];
  for (const { table, create, references } of tableDefinitions(model, 'postgresql', omitted)) {
    const own = contents.find((c) => c.table === table)!;
    const before = known(schema, table.name);
    const found = there(schema, table.name);
    // Foreign keys are part of what a table is, though they are added later.
    const definition = [create, ...references].join(';\n');
    if (found && !before && isRecorded)
      refusals.push(`${table.name} is at the target already, and was not made by Crease`);
    const changed = before && (await driftOf(client, schema, before, found, own));
    if (changed !== undefined) drift.push(changed);
    const hanging = found && before ? await hangingOn(client, schema, table.name, ours) : [];
    const isSame = before?.definition === definition && found?.columns === before.catalog;
    const parts = order.parts
      .filter((p) => table.partition && sameName(p.table, table.name))
      .map(({ part }) => ({ part, rows: rowsOfPart(own, part) ?? new Uint32Array() }));
    const action = actionOf(order, {
      isThere: before !== undefined && found !== undefined,
      isSame,
      isUnchanged: before?.digest === own.digest && changed === undefined,
      hasParts: parts.length > 0,
    });
    const isMade = action === 'alter' || (action === 'replace' && !isSame);
    if (isMade && hanging.length > 0)
      refusals.push(
        `${table.name} has to be made anew, and others hang on it: ${hanging.join(', ')}. Have their owners remove them first`,
      );
    const rows =
      action === 'load parts'
        ? parts.reduce((n, p) => n + p.rows.length, 0)
        : action === 'replace' || (action === 'create' && !order.definitionsOnly)
          ? own.rowCount
          : undefined;
    const gone = found ? columnsGone(found, table) : [];
    tables.push({
      contents: own,
      definition,
      before,
      isHeld: hanging.length > 0,
      parts,
      item: {
        object: `table ${table.name}`,
        action,
        sql: action === 'keep' ? [] : [create, ...references],
        ...(rows === undefined ? {} : { rows }),
        ...(isMade && gone.length > 0 ? { loses: gone.join(', ') } : {}),
      },
    });
  }
  for (const view of views)
    if (there(view.schema, view.name) && !known(view.schema, view.name))
      refusals.push(`${view.schema}.${view.name} is at the target already, and was not made by Crease`);
  const stays = new Set([
    ...releasedTables(model).map((t) => keyOf({ schema, name: t.name })),
    ...views.map(keyOf),
  ]);
  const dropped = recorded.filter((o) => !stays.has(keyOf(o)) && there(o.schema, o.name));
  for (const { kind, schema: of, name } of dropped) {
    const hanging = await hangingOn(client, of, name, ours);
    const held = hanging.filter((what) => what.startsWith('the view') || what.startsWith('the foreign key'));
    if (held.length > 0)
      refusals.push(`the ${kind} ${name} would be dropped, and others hang on it: ${held.join(', ')}`);
  }
  const ofParts = checkParts(order, contents);
  refusals.push(...ofParts.refusals);
  notes.push(...ofParts.notes);
  const items: PlanItem[] = [
    ...tables.map((t) => t.item),
    ...views.map((view): PlanItem => {
      const was = known(view.schema, view.name);
      const isThere = there(view.schema, view.name) !== undefined;
      const action = !isThere ? 'create' : was?.definition === view.sql ? 'keep' : 'replace';
      return { object: `view ${view.schema}.${view.name}`, action, sql: action === 'keep' ? [] : [view.sql] };
    }),
    ...dropped.map(({ kind, schema: of, name, state }): PlanItem => ({
      object: `${kind} ${of === schema ? '' : `${of}.`}${name}`,
      action: 'drop',
      sql: [`drop ${kind} ${quoted(of)}.${quoted(name)}`],
      ...(state ? { loses: `${state.rows} rows` } : {}),
    })),
  ];
  return {
    plan: {
      target: `${target.connection}: ${schema}`,
      release: isRecorded ? (await lastRelease(client, schema)) + 1 : 1,
      items,
      drift,
      refusals,
      omitted: omitted.told,
      notes,
    },
    tables,
    views,
    dropped,
    recorded: recorded.filter((o) => there(o.schema, o.name)),
  };
}

/** Names of PostgreSQL are cut beyond so many bytes (NAMEDATALEN - 1). */
const MOST_BYTES = 63;

/** What happens to a table, by what stands there. */
function actionOf(
  { definitionsOnly, parts }: ReleaseOrder,
  is: { isThere: boolean; isSame: boolean; isUnchanged: boolean; hasParts: boolean },
): PlanItem['action'] {
  if (!is.isThere) return 'create';
  if (definitionsOnly || (parts.length > 0 && !is.hasParts)) return is.isSame ? 'keep' : 'alter';
  if (is.hasParts && is.isSame) return 'load parts';
  return is.isSame && is.isUnchanged ? 'keep' : 'replace';
}

/** Columns that are there and not in the model. */
const columnsGone = ({ columns }: Relation, table: Table): string[] =>
  namesIn(columns).filter((name) => !table.columns.some((c) => c.name === name));

/** Names of a list of columns as the catalog gives it. */
const namesIn = (columns: string): string[] =>
  [...columns.matchAll(/(?:^|, )("(?:[^"]|"")+"|[^\s",]+) /g)].map(([, name]) =>
    name!.startsWith('"') ? name!.slice(1, -1).replaceAll('""', '"') : name!,
  );

async function driftOf(
  client: pg.Client,
  schema: string,
  before: RecordedObject,
  found: Relation | undefined,
  own: TableContents,
): Promise<string | undefined> {
  const { name, state } = before;
  if (!found) return `${name} is gone`;
  if (!isTable(found)) return `${name} is no table any more`;
  if (found.columns !== before.catalog) return `${name} has other columns`;
  if (!state) return undefined;
  const columns = own.columns.filter((c) => c.name in state.sums);
  const now = await stateAt(client, `${quoted(schema)}.${quoted(name)}`, columns);
  return rowsDrift(name, state, now);
}

/** Rows and sums at the target. */
async function stateAt(client: pg.Client, from: string, columns: readonly Column[]): Promise<TableState> {
  const numbers = columns.filter((c) => isExact(c.type) || c.type.kind === 'double');
  const list = numbers.map((c) => `sum(${quoted(c.name)})::text`);
  const { rows } = await client.query<(string | null)[]>({
    text: `select ${['count(*)::text', ...list].join(', ')} from ${from}`,
    rowMode: 'array',
  });
  const [count, ...sums] = rows[0]!;
  return {
    rows: Number(count),
    sums: Object.fromEntries(
      numbers.map(({ name, type }, i) => {
        const sum = sums[i] ?? null;
        if (sum === null || type.kind !== 'decimal') return [name, sum];
        const exact = textReader({ ...type, precision: 38 })(sum);
        return [name, exact === undefined ? sum : formatExact(exact as bigint, scaleOf(type))];
      }),
    ),
  };
}

/** Rows of a part, as a condition. */
function partCondition({ partition }: Table, part: string): string {
  const { by, every } = partition!;
  const column = quoted(by);
  const value = `'${part.replaceAll("'", "''")}'`;
  if (part === NO_PART) return `${column} is null`;
  if (every === 'value') return `${column}::text = ${value}`;
  const form = { year: 'YYYY', quarter: 'YYYY-"Q"Q', month: 'YYYY-MM' }[every];
  return `to_char(${column}, '${form}') = ${value}`;
}

async function runWork(
  client: pg.Client,
  { target }: PostgresqlTarget,
  work: Work,
  order: ReleaseOrder,
  begun: number,
): Promise<ReleaseOutcome> {
  const { schema } = target;
  const { plan, tables, views, dropped, recorded } = work;
  const { data, tell } = order;
  const { model } = data;
  const omitted = omittedConstraints(model, order.claims);
  const draft = `crease_draft_${randomUUID().slice(0, 8)}`;
  const run = (sql: string) => client.query(sql);
  const inDraft = (table: string) => `${quoted(draft)}.${quoted(table)}`;
  const inPlace = (table: string) => `${quoted(schema)}.${quoted(table)}`;
  await run(`create schema if not exists ${quoted(schema)}; create schema ${quoted(draft)}`);
  const drafts = tableDefinitions(model, 'postgresql', omitted, inDraft);
  let rows = 0;
  for (const t of tables) {
    const { contents, item } = t;
    if (item.action === 'keep') continue;
    tell(item.object);
    const { table } = contents;
    await run(drafts.find((d) => d.table === table)!.create);
    if (item.action === 'alter') {
      const common = table.columns.filter((c) => namesIn(t.before!.catalog).includes(c.name));
      const list = common.map((c) => quoted(c.name)).join(', ');
      if (list !== '')
        await run(`insert into ${inDraft(table.name)} (${list}) select ${list} from ${inPlace(table.name)}`);
    } else if (item.action === 'load parts')
      for (const { rows: own } of t.parts) rows += await copyRows(client, inDraft(table.name), contents, own);
    else if (!order.definitionsOnly) rows += await copyRows(client, inDraft(table.name), contents);
  }
  tell('proof');
  const proof = await prove(client, { schema, draft }, work, order);
  if (proof.differences.length > 0) throw new ProofError(proof);
  tell('swap');
  for (const { kind, schema: of, name } of recorded)
    if (kind === 'view') await run(`drop view if exists ${quoted(of)}.${quoted(name)}`);
  await dropReferences(client, schema, recorded);
  for (const { contents, item, isHeld, parts } of tables) {
    const { table } = contents;
    if (item.action === 'keep') continue;
    const list = table.columns.map((c) => quoted(c.name)).join(', ');
    const bring = `insert into ${inPlace(table.name)} (${list}) select ${list} from ${inDraft(table.name)}`;
    if (item.action === 'load parts') {
      for (const { part } of parts)
        await run(`delete from ${inPlace(table.name)} where ${partCondition(table, part)}`);
      await run(bring);
    } else if (isHeld) {
      // Rights, indexes and views of others stay; their triggers are not to take this for work of theirs.
      await run(
        `alter table ${inPlace(table.name)} disable trigger user; delete from ${inPlace(table.name)}; ${bring}; alter table ${inPlace(table.name)} enable trigger user`,
      );
    } else {
      await run(`drop table if exists ${inPlace(table.name)}`);
      await run(`alter table ${inDraft(table.name)} set schema ${quoted(schema)}`);
    }
  }
  for (const { kind, schema: of, name } of dropped)
    if (kind === 'table') await run(`drop table ${quoted(of)}.${quoted(name)}`);
  for (const { references } of tableDefinitions(model, 'postgresql', omitted, inPlace))
    for (const sql of references) await run(sql);
  await run(`drop schema ${quoted(draft)} cascade`);
  await makeViews(client, target, views);
  for (const { contents } of tables) await comment(client, inPlace(contents.table.name), contents.table);
  const seconds = Math.round(performance.now() - begun) / 1000;
  const relations = await relationsOf(client, [schema]);
  const states: (TableState | undefined)[] = [];
  for (const { contents } of tables)
    states.push(await stateAt(client, inPlace(contents.table.name), contents.columns));
  await proveInPlace(client, inPlace, work, order, states);
  await writeRecord(
    client,
    schema,
    {
      release: plan.release,
      model: model.name,
      revision: order.revision,
      digest: createHash('sha256').update(order.document).digest('hex'),
      author: order.author,
      at: order.now.toISOString(),
      what: whatText(order),
      rows,
      seconds,
      document: order.document,
    },
    [
      ...tables.map((t, i): RecordedObject => ({
        kind: 'table',
        schema,
        name: t.contents.table.name,
        definition: t.definition,
        catalog: relations.find((r) => r.name === t.contents.table.name)?.columns ?? '',
        digest:
          t.item.action === 'keep'
            ? (t.before?.digest ?? null)
            : t.item.action === 'replace' || (t.item.action === 'create' && !order.definitionsOnly)
              ? t.contents.digest
              : null,
        state: states[i],
      })),
      ...views.map((v): RecordedObject => ({
        kind: 'view',
        schema: v.schema,
        name: v.name,
        definition: v.sql,
        catalog: '',
        digest: null,
        state: undefined,
      })),
    ],
    measuresOf(data, postgresql),
  );
  return { plan, proof, rows, seconds };
}

/** Rows that were proved may have been changed on the way to their place, as by a trigger of others. */
async function proveInPlace(
  client: pg.Client,
  inPlace: (table: string) => string,
  { tables }: Work,
  order: ReleaseOrder,
  states: readonly (TableState | undefined)[],
): Promise<void> {
  const differences: string[] = [];
  for (const [i, { contents, item, parts }] of tables.entries()) {
    const { table, columns } = contents;
    const isBrought = item.action === 'replace' || (item.action === 'create' && !order.definitionsOnly);
    if (isBrought) differences.push(...compareTable(contents, states[i]!));
    if (item.action !== 'load parts') continue;
    for (const { part, rows } of parts) {
      const from = `(select * from ${inPlace(table.name)} where ${partCondition(table, part)}) p`;
      const own = { ...contents, rowCount: rows.length, sums: sumsOf(columns, rows) };
      const found = compareTable(own, await stateAt(client, from, columns));
      differences.push(...found.map((text) => `${part}: ${text}`));
    }
  }
  if (differences.length > 0)
    throw new ProofError({ tables: tables.length, questions: 0, differences, notes: [] });
}

/** Foreign keys between tables of Crease stand in the way of a swap: they come back at the end. */
async function dropReferences(
  client: pg.Client,
  schema: string,
  recorded: readonly RecordedObject[],
): Promise<void> {
  const names = recorded.filter((o) => o.kind === 'table').map((o) => o.name);
  const { rows } = await client.query<{ name: string; table: string }>(
    `select k.conname as name, c.relname as table from pg_constraint k join pg_class c on c.oid = k.conrelid join pg_namespace n on n.oid = c.relnamespace
     where k.contype = 'f' and n.nspname = $1 and c.relname = any ($2)`,
    [schema, names],
  );
  for (const { name, table } of rows)
    await client.query(`alter table ${quoted(schema)}.${quoted(table)} drop constraint ${quoted(name)}`);
}

async function makeViews(
  client: pg.Client,
  { schema: own, grant }: PostgresqlTarget['target'],
  views: readonly View[],
): Promise<void> {
  // The statements of kept trials name tables alone; a view keeps the tables that it found.
  await client.query(`set local search_path = ${quoted(own)}`);
  for (const { schema, name, sql, comment: text } of views) {
    await client.query(`create schema if not exists ${quoted(schema)}`);
    await client.query(sql);
    if (text !== '')
      await client.query(`comment on view ${quoted(schema)}.${quoted(name)} is ${literal(text)}`);
  }
  for (const [audience, role] of Object.entries(grant ?? {})) {
    const theirs = views.filter((v) => sameName(v.audience, audience));
    for (const schema of new Set(theirs.map((v) => v.schema)))
      await client.query(
        `grant usage on schema ${quoted(schema)} to ${quoted(role)}; grant select on all tables in schema ${quoted(schema)} to ${quoted(role)}`,
      );
  }
}

const literal = (text: string): string => `'${text.replaceAll("'", "''")}'`;

/** Titles and descriptions of a table and its columns. */
async function comment(client: pg.Client, place: string, table: Table): Promise<void> {
  const said = (...texts: (string | undefined)[]) => {
    const some = texts.filter((text) => text !== undefined && text !== '');
    return some.length > 0 ? literal(some.join(': ')) : 'null';
  };
  const columns = table.columns.map(
    (c) => `comment on column ${place}.${quoted(c.name)} is ${said(c.title, c.description)}`,
  );
  const own = `comment on table ${place} is ${said(table.title, table.description ?? table.grain)}`;
  await client.query([own, ...columns].join('; '));
}

const LINES_AT_ONCE = 2000;
const ESCAPES: Readonly<Record<string, string>> = { '\\': '\\\\', '\n': '\\n', '\r': '\\r', '\t': '\\t' };

/** Rows by COPY, straight from codes; gives how many. */
async function copyRows(
  client: pg.Client,
  place: string,
  { table, columns, rowCount }: TableContents,
  rows?: Uint32Array,
): Promise<number> {
  const texts = columns.map((c) =>
    columnValues(c).map((v) =>
      v === null ? '\\N' : toText(v, c.type).replace(/[\\\n\r\t]/g, (char) => ESCAPES[char]!),
    ),
  );
  const count = rows?.length ?? rowCount;
  function* lines() {
    for (let from = 0; from < count; from += LINES_AT_ONCE) {
      const some = Math.min(LINES_AT_ONCE, count - from);
      yield Array.from({ length: some }, (_, i) => {
        const row = rows ? rows[from + i]! : from + i;
        return `${columns.map((c, k) => texts[k]![c.codes[row]!]).join('\t')}\n`;
      }).join('');
    }
  }
  const list = table.columns.map((c) => quoted(c.name)).join(', ');
  const stream = client.query(copyFrom(`copy ${place} (${list}) from stdin`));
  await pipeline(Readable.from(lines()), stream);
  return count;
}

/** Compares what is in the draft, and what stays in the schema, with what is here. */
async function prove(
  client: pg.Client,
  { schema, draft }: { schema: string; draft: string },
  { tables }: Work,
  order: ReleaseOrder,
): Promise<Proof> {
  const { data } = order;
  const { model, checker, today } = data;
  const differences: string[] = [];
  const older: string[] = [];
  for (const { contents, item, parts } of tables) {
    const { table, columns } = contents;
    const place = `${quoted(item.action === 'keep' ? schema : draft)}.${quoted(table.name)}`;
    if (item.action === 'load parts') {
      for (const { part, rows } of parts) {
        const from = `(select * from ${place} where ${partCondition(table, part)}) p`;
        const found = await stateAt(client, from, columns);
        const own = { ...contents, rowCount: rows.length, sums: sumsOf(columns, rows) };
        differences.push(...compareTable(own, found).map((text) => `${part}: ${text}`));
      }
      older.push(table.name);
      continue;
    }
    const found = compareTable(contents, await stateAt(client, place, columns));
    const isBrought = item.action === 'replace' || (item.action === 'create' && !order.definitionsOnly);
    const isWhole = !order.definitionsOnly && order.parts.length === 0;
    if (isBrought || isWhole) differences.push(...found);
    else if (found.length > 0) older.push(table.name);
  }
  if (differences.length > 0 || older.length > 0)
    return {
      tables: tables.length,
      questions: 0,
      differences,
      notes:
        differences.length === 0
          ? [`${older.join(', ')}: rows there are others than here, so that no questions were compared`]
          : [],
    };
  await client.query(`set local search_path = ${quoted(draft)}, ${quoted(schema)}`);
  const isUnique = (table: Table, columns: readonly string[]) => hasUniqueRows(data, table, columns);
  const released = new Set(releasedTables(model).map((t) => lower(t.name)));
  const ask = async (query: Query): Promise<Answer> => {
    const compiled = compileQuery({ model, checker, today, isUnique }, query, postgresql, true);
    const parts = [compiled.rows, compiled.totals, ...(compiled.subtotals ?? []).map((s) => s.query)];
    const missing = parts.flatMap((p) => [...(p?.tables ?? [])]).find((table) => !released.has(lower(table)));
    if (missing !== undefined) throw new DataError(`${missing} is not released`);
    return answerInPostgresql(compiled, (text, values) => askTexts(client, text, values));
  };
  const asked = await askBoth(data, ask);
  await client.query('set local search_path to default');
  return { tables: tables.length, ...asked };
}

/** Rows of a statement as texts. What the server refuses is an answer that it does not have. */
async function askTexts(
  client: pg.Client,
  text: string,
  values: readonly unknown[],
): Promise<(string | null)[][]> {
  await client.query('savepoint question');
  try {
    const { rows } = await client.query<(string | null)[]>({
      text,
      values: [...values],
      rowMode: 'array',
      types: { getTypeParser: () => (cell: string) => cell },
    });
    await client.query('release savepoint question');
    return rows;
  } catch (error) {
    if (!(error instanceof pg.DatabaseError)) throw error;
    await client.query('rollback to savepoint question');
    throw new DataError(error.message);
  }
}
