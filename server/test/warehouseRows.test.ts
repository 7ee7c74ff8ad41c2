import type { Model } from '@crease/core/model';
import type { Answer } from '@crease/core/query';
import { answerQuery, DataError, QueryError } from '@crease/core/query';
import type { ModelData } from '@crease/core/query';
import type { AggregateRows, RowsRequest } from '@crease/core/rows';
import { rowsBehind } from '@crease/core/rows';
import { cellJson, sqlite } from '@crease/core/sql';
import { learnFacts, rowsBehindOn, warehouseSetting } from '@crease/core/warehouse';
import type { Warehouse } from '@crease/core/warehouse';
import { SqliteDatabase } from '../src/sources/sqliteDatabase.ts';
import { dataOf, isSame, makeCase } from './fuzz/compare.ts';
import { cases, caseTime } from '../../tools/cases.ts';

// The rows behind cells, listed by SQL against those listed on columns, of random models and questions.

async function onSql(data: ModelData, requests: readonly RowsRequest[]) {
  const { model } = data;
  const database = new SqliteDatabase(model, (name) => data.table(name));
  try {
    database.load(model.tables.map((t) => t.name));
    const warehouse: Warehouse = {
      dialect: sqlite,
      relations: {},
      ask: ({ sql, parameters, columns }) => {
        const bound = parameters.map(({ value, type }) => sqlite.bound(value, type));
        const rows = database.run(sql, bound);
        return Promise.resolve(rows.map((row) => columns.map(({ type }, i) => cellJson(row[i], type))));
      },
    };
    const facts = await learnFacts(model as Model, warehouse, data.today);
    const setting = warehouseSetting(model, warehouse, data.today, facts);
    const found = [];
    for (const request of requests) found.push(await rowsBehindOn(setting, warehouse, request));
    return found;
  } finally {
    database.close();
  }
}

/** What both ways tell; rows without their order, numbers beside each other. */
const comparable = ({ rows, lines: _lines, columns, ...rest }: AggregateRows) => ({
  ...rest,
  columns: columns.map((c) => [c.name, c.type]),
  rows: rows.map((row) => JSON.stringify(row)).sort(),
});
/** An aggregate for no combination of a "per" is told by one way and passed over by the other. */
const withRows = (aggregates: readonly AggregateRows[]) => aggregates.filter((a) => a.rows.length > 0);
const numbers = (aggregates: readonly AggregateRows[]) =>
  aggregates.map(({ sum, of }) => [sum, of].map(numberOf));
const numberOf = (text: string | null) => (text === null || Number.isNaN(Number(text)) ? text : Number(text));

test(
  'rows behind cells are those that columns list',
  async () => {
    let compared = 0;
    for (let seed = 1; seed <= cases(80); seed++) {
      const data = dataOf(makeCase(seed));
      const { query } = makeCase(seed).question;
      let answer: Answer;
      try {
        answer = answerQuery(data, query);
      } catch (error) {
        if (!(error instanceof DataError)) throw error;
        continue; // a question that is not right
      }
      const width = (query.by ?? []).length;
      const requests: RowsRequest[] = [];
      const expected: (readonly AggregateRows[])[] = [];
      for (const members of [[], ...answer.rows.slice(0, 2).map((row) => row.slice(0, width))]) {
        const request = { query, cells: [{ measure: 'Asked', members }], limit: 100_000 };
        try {
          expected.push(rowsBehind(data, request).aggregates);
          requests.push(request);
        } catch (error) {
          if (!(error instanceof QueryError)) throw error; // several members of one name, for one
        }
      }
      const found = await onSql(data, requests);
      for (const [i, { aggregates: all }] of found.entries()) {
        const [aggregates, wanted] = [all, expected[i]!].map(withRows) as [AggregateRows[], AggregateRows[]];
        const plain = (of: readonly AggregateRows[]) =>
          of.map(({ sum: _sum, of: _of, ...rest }) => comparable({ ...rest, sum: null, of: null }));
        expect({ seed, i, rows: plain(aggregates) }).toEqual({ seed, i, rows: plain(wanted) });
        expect([seed, i, isSame(numbers(aggregates), numbers(wanted))]).toEqual([seed, i, true]);
        compared += aggregates.length;
      }
    }
    expect(compared).toBeGreaterThan(cases(30));
  },
  caseTime(120_000),
);
