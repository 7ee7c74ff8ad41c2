import type pg from 'pg';
import { tableDefinitions } from '@crease/core/interchange';
import type { ReleaseTarget, Table } from '@crease/core/model';
import { sameName } from '@crease/core/model';
import type { ReleasedView } from '@crease/core/release';
import { omittedConstraints, releasedTables, viewsOf } from '@crease/core/release';
import { postgresql, quoted } from '@crease/core/sql';
import type { ReleaseOrder, TableContents } from './contents.ts';
import { contentsOf, rowsOfPart } from './contents.ts';
import { checkParts, rowsDrift } from './order.ts';
import type { PlanItem, ReleasePlan } from './plan.ts';
import type { Hanging, Relation } from './postgresqlCatalog.ts';
import { hangingOn, isTable, keyOf, namesIn, relationsOf } from './postgresqlCatalog.ts';
import type { RecordedObject } from './postgresqlRecord.ts';
import { hasRecord, lastRelease, recordedObjects } from './postgresqlRecord.ts';
import { stateAt } from './postgresqlRows.ts';

/** A schema of PostgreSQL, and the account that writes there. */
export interface PostgresqlTarget {
  readonly target: Extract<ReleaseTarget, { kind: 'postgresql' }>;
  readonly place: pg.ClientConfig;
}

export interface TableWork {
  readonly contents: TableContents;
  readonly definition: string;
  readonly item: PlanItem;
  readonly before: RecordedObject | undefined;
  /** Something of others hangs on it: its rows are replaced in place. */
  readonly isHeld: boolean;
  readonly parts: readonly { readonly part: string; readonly rows: Uint32Array }[];
}

export interface View extends ReleasedView {
  readonly schema: string;
  readonly sql: string;
  /** Views of others hang on it: it stays as it is, and so do the tables that it shows. */
  readonly isHeld: boolean;
}

export interface Work {
  readonly plan: ReleasePlan;
  readonly tables: readonly TableWork[];
  readonly views: readonly View[];
  readonly dropped: readonly RecordedObject[];
  readonly recorded: readonly RecordedObject[];
}

/** What a release would do, object by object, by what stands at the target. */
export async function makeWork(
  client: pg.Client,
  { target }: PostgresqlTarget,
  order: ReleaseOrder,
): Promise<Work> {
  const { schema } = target;
  const { data, claims } = order;
  const { model } = data;
  const refusals: string[] = [];
  const notes: string[] = [];
  const drift: string[] = [];
  const isRecorded = await hasRecord(client, schema);
  const recorded = isRecorded ? await recordedObjects(client, schema) : [];
  const planned = (model.perspectives ?? []).flatMap((perspective): Omit<View, 'isHeld'>[] => {
    const found = viewsOf(data, perspective, postgresql, (table) => `${quoted(schema)}.${quoted(table)}`);
    notes.push(...found.faults);
    const own = `${schema}_${perspective.name}`;
    return found.views.map((view) => ({
      ...view,
      schema: own,
      sql: `create view ${quoted(own)}.${quoted(view.name)} as ${view.select}`,
    }));
  });
  const schemas = [...new Set([schema, ...planned.map((v) => v.schema), ...recorded.map((o) => o.schema)])];
  const relations = await relationsOf(client, schemas);
  const there = (of: string, name: string) => relations.find((r) => r.schema === of && r.name === name);
  const known = (of: string, name: string) => recorded.find((o) => o.schema === of && o.name === name);
  if (!isRecorded && relations.some((r) => r.schema === schema))
    refusals.push(`the schema ${schema} holds objects without a record of Crease: choose another schema`);
  const tooLong = [
    ...releasedTables(model).map((t) => t.name),
    ...planned.flatMap((v) => [v.schema, v.name]),
  ].find((name) => Buffer.byteLength(name) > MOST_BYTES);
  if (tooLong !== undefined) refusals.push(`${tooLong} is longer than the ${MOST_BYTES} bytes of a name`);
  const ours = new Set(recorded.map(keyOf));
  const held = await heldViews(client, recorded, ours);
  const views = planned.map((view): View => ({ ...view, isHeld: held.has(keyOf(view)) }));
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
    const { others, ours: shown }: Hanging =
      found && before ? await hangingOn(client, schema, table.name, ours) : { others: [], ours: [] };
    const hanging = [...others, ...shown.flatMap((key) => held.get(key) ?? [])];
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
    if (hanging.length > 0 && action !== 'keep' && !isMade)
      notes.push(
        `${table.name}: its rows are replaced in place, since others hang on it: ${hanging.join(', ')}`,
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
  for (const view of views)
    if (view.isHeld && known(view.schema, view.name)?.definition !== view.sql)
      refusals.push(
        `the view ${view.schema}.${view.name} has to be made anew, and others hang on it: ${held.get(keyOf(view))!.join(', ')}. Have their owners remove them first`,
      );
  const stays = new Set([
    ...releasedTables(model).map((t) => keyOf({ schema, name: t.name })),
    ...views.map(keyOf),
  ]);
  const dropped = recorded.filter((o) => !stays.has(keyOf(o)) && there(o.schema, o.name));
  for (const { kind, schema: of, name } of dropped) {
    const { others } = await hangingOn(client, of, name, ours);
    const rest = others.filter((what) => what.startsWith('the view') || what.startsWith('the foreign key'));
    if (rest.length > 0)
      refusals.push(`the ${kind} ${name} would be dropped, and others hang on it: ${rest.join(', ')}`);
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

/** Views of Crease that views of others hang on, each with these. */
async function heldViews(
  client: pg.Client,
  recorded: readonly RecordedObject[],
  ours: ReadonlySet<string>,
): Promise<ReadonlyMap<string, readonly string[]>> {
  const held = new Map<string, readonly string[]>();
  for (const object of recorded.filter((o) => o.kind === 'view')) {
    const { others } = await hangingOn(client, object.schema, object.name, ours);
    const views = others.filter((what) => what.startsWith('the view'));
    if (views.length > 0) held.set(keyOf(object), views);
  }
  return held;
}
