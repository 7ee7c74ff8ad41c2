import fc from 'fast-check';
import { judgeClaim, listClaims } from '@crease/core/claims';
import type { JudgedClaim } from '@crease/core/claims';
import type { TableData } from '@crease/core/columns';
import { columnOfValues, tableOf } from '@crease/core/columns';
import { FUNCTIONS } from '@crease/core/formula';
import type { Model, Query, Table } from '@crease/core/model';
import { readModel } from '@crease/core/model';
import { answerQuery, DataError, ModelData, QueryError } from '@crease/core/query';
import { DATE, decimal, INTEGER, TEXT } from '@crease/core/values';
import { model as small, tablesOf, worlds } from '../../core/src/claims/smallWorld.ts';
import { cases, caseTime } from '../../tools/cases.ts';
import type { WarehouseEngine } from '../src/warehouse/engine.ts';
import type { OpenOrder } from '../src/warehouse/warehouse.ts';
import { ModelOnWarehouse } from '../src/warehouse/warehouse.ts';
import { dataOf, isSame, makeCase } from './fuzz/compare.ts';

const nothingHeld = (table: Table): TableData => {
  throw new TypeError(`${table.name} is not asked for here`);
};

/** Does something with a model on an engine. */
export const openOn = <T>(
  engine: WarehouseEngine,
  order: Partial<OpenOrder> & { model: Model },
  work: (on: ModelOnWarehouse) => Promise<T>,
): Promise<T> =>
  engine.within(async (session) =>
    work(
      await ModelOnWarehouse.open(engine, session, {
        ...{ connection: 'lake', held: nothingHeld, today: 0, timeoutMs: 60_000 },
        ...order,
      }),
    ),
  );

export const found = (claims: readonly JudgedClaim[], id: string): JudgedClaim =>
  claims.find((c) => c.id === id)!;

/** What both ways can know of a verdict. */
export const plain = ({ verdict, evidence }: Pick<JudgedClaim, 'verdict' | 'evidence'>) => ({
  verdict,
  checked: evidence.checked,
  against: evidence.against,
  ...(verdict === 'unchecked' ? { notes: evidence.notes } : {}),
  sample: (evidence.sample ?? []).map(({ rows, values }) => JSON.stringify([rows, values])).sort(),
});

/**
 * What every kind of database has to answer as columns do. `written` writes the rows of a model's tables to a
 * database of their own, and gives the engine that asks it.
 */
export function answersAsColumnsDo(written: (data: ModelData) => Promise<WarehouseEngine>): void {
  test('every function gives there what its example gives', async () => {
    const model = readModel(
      JSON.stringify({
        ...{ crease: 1, name: 'm', asOf: '2026-01-01' },
        tables: [{ name: 'one', role: 'fact', columns: [{ name: 'n', type: 'integer' }] }],
        measures: FUNCTIONS.map((f, i) => ({
          name: `m${i}`,
          formula: `only(case when one.n = 1 then ${f.example.formula} end) from one`,
        })),
      }),
    );
    const data = new ModelData(model, (name) => tableOf(name, [columnOfValues('n', INTEGER, [1])]), 20_454);
    await openOn(await written(data), { model, today: data.today }, async (on) => {
      for (const [i, { name, example }] of FUNCTIONS.entries()) {
        const { rows } = await on.answer({ measures: [`m${i}`] });
        expect([name, example.formula, rows]).toEqual([name, example.formula, [[example.gives]]]);
      }
    });
  });

  test(
    'random questions are answered as on columns',
    async () => {
      let compared = 0;
      for (let seed = 1; seed <= cases(60); seed++) {
        const kase = makeCase(seed);
        const data = dataOf(kase);
        const { query } = kase.question;
        let expected;
        try {
          expected = answerQuery(data, query);
        } catch (error) {
          // No question, or one without an answer.
          if (error instanceof DataError || error instanceof QueryError) continue;
          throw error;
        }
        const order = { model: data.model, today: data.today };
        const there = await openOn(await written(data), order, (on) => on.answer(query));
        if (!isSame(there.rows, expected.rows)) expect([seed, there.rows]).toEqual([seed, expected.rows]);
        compared++;
      }
      expect(compared).toBeGreaterThan(cases(25));
    },
    caseTime(120_000),
  );

  test(
    'claims of random small worlds are judged as on columns',
    async () => {
      await fc.assert(
        fc.asyncProperty(worlds, async (world) => {
          const tables = tablesOf(small, world);
          const data = new ModelData(small, (name) => tables.get(name)!, 0);
          const judged = await openOn(await written(data), { model: small }, (on) => on.judge('1970-01-01'));
          for (const claim of listClaims(small))
            expect([claim.id, plain(found(judged, claim.id))]).toEqual([
              claim.id,
              plain(judgeClaim(claim, data)),
            ]);
        }),
        { numRuns: cases(12) },
      );
    },
    caseTime(120_000),
  );
  test('every aggregate is what columns give: of even and odd numbers of rows, nulls, ties and none', async () => {
    const aggregates = ['sum', 'avg', 'min', 'max', 'median', 'only', 'count', 'var_pop', 'var_samp', 'stddev_pop', 'stddev_samp']; // oxfmt-ignore
    const measures = [
      ...aggregates.flatMap((name) =>
        ['n', 'fine'].map((column) => ({ name: `${name} ${column}`, formula: `${name}(loan.${column})` })),
      ),
      ...['min', 'max', 'only', 'count'].map((name) => ({
        name: `${name} who`,
        formula: `${name}(loan.who)`,
      })),
      ...['count'].map((name) => ({
        name: `${name} each`,
        formula: `${name}(distinct loan.n)`,
      })),
      { name: 'latest', formula: 'latest(loan.fine by loan.day)' },
      { name: 'earliest', formula: 'earliest(loan.fine by loan.day)' },
    ];
    const columns = [
      { name: 'branch', type: 'text' },
      { name: 'n', type: 'integer' },
      { name: 'fine', type: 'decimal(9,2)' },
      { name: 'who', type: 'text' },
      { name: 'day', type: 'date' },
    ];
    const model = readModel(
      JSON.stringify({
        ...{ crease: 1, name: 'm' },
        tables: [{ name: 'loan', role: 'fact', columns }],
        measures,
      }),
    );
    const rows = tableOf('loan', [
      columnOfValues('branch', TEXT, ['Ä', 'Ä', 'Ä', 'Ä', 'a', 'a', 'a', 'B', 'B', 'none']),
      columnOfValues('n', INTEGER, [1, 2, 4, 9, -3, 0, 7, 5, 5, null]),
      columnOfValues('fine', decimal(9, 2), [50, 125, 1, -7, 100, 33, null, 0, 10, null]),
      columnOfValues('who', TEXT, ['b', 'B', 'é', 'z', 'Zoë', 'a ', 'a', 'x', 'x', null]),
      columnOfValues('day', DATE, [3, 1, 3, 2, 9, 9, 8, null, 4, null]),
    ]);
    const data = new ModelData(model, () => rows, 0);
    const query = { by: ['loan.branch'], measures: measures.map((m) => m.name), totals: true };
    const expected = answerQuery(data, query);
    const there = await openOn(await written(data), { model }, (on) => on.answer(query));
    const cells = (answer: typeof expected) =>
      [...answer.rows, [null, ...answer.totals!]].map((row) =>
        row.map((cell, i) => [answer.columns[i]!.name, cell]),
      );
    expect(isSame(cells(there), cells(expected)) ? cells(expected) : cells(there)).toEqual(cells(expected));
  });

  test('keys of members that are shown alike, and states of goals, are what columns give', async () => {
    const column = (name: string, type: string) => ({ name, type });
    const model = readModel(
      JSON.stringify({
        ...{ crease: 1, name: 'm' },
        tables: [
          { name: 'loan', role: 'fact', columns: [column('branch', 'text'), column('n', 'integer')] },
          {
            ...{ name: 'branch', role: 'dimension', key: ['code'] },
            columns: [column('code', 'text'), column('name', 'text'), column('town', 'text')],
          },
        ],
        relationships: [
          {
            name: 'loan_branch',
            from: { table: 'loan', columns: ['branch'] },
            to: { table: 'branch', columns: ['code'] },
          },
        ],
        hierarchies: [
          {
            name: 'Places',
            table: 'branch',
            levels: [
              { name: 'Town', column: 'branch.town' },
              { name: 'Branch', column: 'branch.name', key: 'branch.code' },
            ],
          },
        ],
        measures: [
          { name: 'Lent', formula: 'sum(loan.n)', goal: { measure: 'Planned', bands: [0.5, 1] } },
          { name: 'Rows', formula: 'count(loan)', goal: { value: 2, good: 'low' } },
          { name: 'Planned', formula: 'sum(loan.n) * 0.75 + 3' },
        ],
      }),
    );
    const texts = (name: string, values: (string | null)[]) => columnOfValues(name, TEXT, values);
    const rows: Record<string, TableData> = {
      loan: tableOf('loan', [
        texts('branch', ['A', 'A', 'B', 'C', 'C', 'D', null, 'X', 'E', 'F']),
        columnOfValues('n', INTEGER, [1, 9, 4, null, 3, 40, 5, 6, 2, 7]),
      ]),
      branch: tableOf('branch', [
        texts('code', ['A', 'B', 'C', 'D', 'E', 'F', 'G']),
        texts('name', ['Pier', 'Pier', 'Mill', 'Quay', null, null, 'Mill']),
        texts('town', ['Ashford', 'Fernside', 'Ashford', 'Ashford', 'Fernside', 'Ashford', null]),
      ]),
    };
    const data = new ModelData(model, (name) => rows[name.toLowerCase()]!, 0);
    const level = { hierarchy: 'branch.Places', level: 'Branch' };
    const whole: Query = {
      by: ['branch.town', level],
      measures: ['Lent', 'Rows'],
      totals: true,
      subtotals: true,
    };
    const queries: Query[] = [
      whole,
      { ...whole, measures: ['Rows', 'Planned'], totals: false },
      { by: [level], across: ['branch.town'], measures: ['Lent'], subtotals: true },
      { by: [level], measures: ['Lent'], filters: [{ top: 2, of: 'Lent', others: true }] },
      { by: [level], measures: ['Lent'], unmatched: 'apart' },
      { by: ['branch.town'], measures: ['Planned'] },
    ];
    await openOn(await written(data), { model }, async (on) => {
      for (const query of queries) {
        const extras = { keys: true, goals: true };
        const expected = answerQuery(data, query, 'code points', extras);
        const there = await on.answer(query, extras);
        expect(there).toEqual(expected);
        // Without being asked nothing is told beside the answer.
        const plainly = await on.answer({ ...query, subtotals: false });
        const { rows: listed, columns, totals, unreached } = expected;
        expect(plainly).toEqual({ rows: listed, columns, unreached, ...(totals ? { totals } : {}) });
      }
    });
  });
}
