import fc from 'fast-check';
import { judgeClaim, listClaims } from '@crease/core/claims';
import type { Judgement } from '@crease/core/claims';
import { ModelData } from '@crease/core/query';
import { cellJson, sqlite } from '@crease/core/sql';
import { judgeOnWarehouse, learnFacts, warehouseSetting } from '@crease/core/warehouse';
import type { Warehouse } from '@crease/core/warehouse';
import type { Rows } from '../../core/src/claims/smallWorld.ts';
import { model, tablesOf, worlds } from '../../core/src/claims/smallWorld.ts';
import { answerInSqlite, SqliteDatabase } from '../src/sources/sqliteDatabase.ts';
import { cases } from '../../tools/cases.ts';
import { expectSame } from '../../tools/same.ts';

// Claims that are judged in SQL against the same claims judged on encoded columns: verdicts, counts, samples.

/** What both ways can know: a database has no lines of files, and of values as frequent any comes first. */
const comparable = ({ evidence, certain: _, ...judgement }: Judgement) => {
  const { sample = [], distinct = 0, ...counts } = evidence;
  return {
    ...judgement,
    evidence: {
      ...counts,
      distinct,
      sample: sample.map(({ values, rows }) => JSON.stringify([rows, values])).sort(),
    },
  };
};

async function compare(world: Readonly<Record<string, Rows>>): Promise<void> {
  const tables = tablesOf(model, world);
  const data = new ModelData(model, (name) => tables.get(name)!, 0);
  const database = new SqliteDatabase(model, (name) => tables.get(name)!);
  try {
    database.load(model.tables.map((t) => t.name));
    const warehouse: Warehouse = {
      dialect: sqlite,
      relations: {},
      ask: ({ sql, parameters, columns }) =>
        Promise.resolve(
          database
            .run(
              sql,
              parameters.map(({ value, type }) => sqlite.bound(value, type)),
            )
            .map((row) => row.map((cell, i) => cellJson(cell, columns[i]!.type))),
        ),
    };
    const setting = warehouseSetting(model, warehouse, 0, await learnFacts(model, warehouse, 0));
    const claims = listClaims(model);
    const answer = (query: Parameters<typeof answerInSqlite>[1]) =>
      Promise.resolve(answerInSqlite(data, query));
    const judged = await judgeOnWarehouse(claims, { warehouse, setting, data, answer });
    for (const claim of claims)
      expectSame([claim.id, comparable(judged.get(claim)!)], [claim.id, comparable(judgeClaim(claim, data))]);
  } finally {
    database.close();
  }
}

test('claims are judged in SQL as on columns', async () => {
  await fc.assert(fc.asyncProperty(worlds, compare), { numRuns: cases(120) });
});
