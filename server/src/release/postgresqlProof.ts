import pg from 'pg';
import type { Query, Table } from '@crease/core/model';
import type { Answer } from '@crease/core/query';
import { DataError } from '@crease/core/query';
import { releasedTables } from '@crease/core/release';
import { compileQuery, postgresql, quoted } from '@crease/core/sql';
import { hasUniqueRows } from '../sources/sqliteDatabase.ts';
import type { ReleaseOrder } from './contents.ts';
import { sumsOf } from './contents.ts';
import type { Proof } from './plan.ts';
import { ProofError } from './plan.ts';
import { answerInTexts } from '../warehouse/cells.ts';
import { partCondition, stateAt } from './postgresqlRows.ts';
import type { Work } from './postgresqlWork.ts';
import type { TableState } from './proof.ts';
import { askBoth, compareTable } from './proof.ts';

/** Compares what is in the draft, and what stays in the schema, with what is here. */
export async function prove(
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
  const released = new Set(releasedTables(model).map((t) => t.name.toLowerCase()));
  const ask = async (query: Query): Promise<Answer> => {
    const compiled = compileQuery({ model, checker, today, isUnique }, query, postgresql, true);
    const parts = [compiled.rows, compiled.totals, ...(compiled.subtotals ?? []).map((s) => s.query)];
    const missing = parts
      .flatMap((p) => [...(p?.tables ?? [])])
      .find((table) => !released.has(table.toLowerCase()));
    if (missing !== undefined) throw new DataError(`${missing} is not released`);
    return answerInTexts(compiled, postgresql, (text, values) => askTexts(client, text, values));
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

/** Rows that were proved may have been changed on the way to their place, as by a trigger of others. */
export async function proveInPlace(
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
