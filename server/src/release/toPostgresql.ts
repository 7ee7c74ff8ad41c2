import { createHash, randomUUID } from 'node:crypto';
import pg from 'pg';
import { tableDefinitions } from '@crease/core/interchange';
import { DataError } from '@crease/core/query';
import { measuresOf, omittedConstraints } from '@crease/core/release';
import { postgresql, quoted } from '@crease/core/sql';
import type { ReleaseOrder } from './contents.ts';
import { whatText } from './order.ts';
import type { ReleaseOutcome, ReleasePlan } from './plan.ts';
import { ProofError, TargetError } from './plan.ts';
import { namesIn, relationsOf } from './postgresqlCatalog.ts';
import { prove, proveInPlace } from './postgresqlProof.ts';
import type { RecordedObject } from './postgresqlRecord.ts';
import { writeRecord } from './postgresqlRecord.ts';
import { copyRows, partCondition, stateAt } from './postgresqlRows.ts';
import { comment, dropViews, makeViews } from './postgresqlViews.ts';
import type { PostgresqlTarget, Work } from './postgresqlWork.ts';
import { makeWork } from './postgresqlWork.ts';
import type { TableState } from './proof.ts';

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
  const rights = await dropViews(client, work);
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
  for (const sql of rights) await run(sql);
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
