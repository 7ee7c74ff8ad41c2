import { mkdirSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { judgeClaim, listClaims } from '@crease/core/claims';
import type { JudgedClaim } from '@crease/core/claims';
import type { TableData } from '@crease/core/columns';
import { columnOfValues, tableOf } from '@crease/core/columns';
import { FUNCTIONS } from '@crease/core/formula';
import type { Model, Table } from '@crease/core/model';
import { readModel } from '@crease/core/model';
import { answerQuery, DataError, ModelData, QueryError } from '@crease/core/query';
import { INTEGER } from '@crease/core/values';
import { model as small, tablesOf, worlds } from '../../core/src/claims/smallWorld.ts';
import { cases } from '../../tools/cases.ts';
import { DuckdbReader } from '../src/databases/duckdb.ts';
import { duckdbEngine } from '../src/warehouse/engines/duckdb.ts';
import type { OpenOrder } from '../src/warehouse/warehouse.ts';
import { ModelOnWarehouse } from '../src/warehouse/warehouse.ts';
import { onDuckdb, writeDuckdb } from './duckdbFile.ts';
import { dataOf, isSame, makeCase } from './fuzz/compare.ts';

let folder: string;
let files = 0;
beforeEach(() => (folder = mkdtempSync(join(tmpdir(), 'crease-duckdb-'))));
afterEach(() => rmSync(folder, { recursive: true, force: true }));
const newFile = () => join(folder, `${++files}.duckdb`);

const nothingHeld = (table: Table): TableData => {
  throw new TypeError(`${table.name} is not asked for here`);
};

function open<T>(
  file: string,
  order: Partial<OpenOrder> & { model: Model },
  work: (on: ModelOnWarehouse) => Promise<T>,
): Promise<T> {
  const engine = duckdbEngine({ file });
  return engine.within(async (session) =>
    work(
      await ModelOnWarehouse.open(engine, session, {
        ...{ connection: 'lake', held: nothingHeld, today: 0, timeoutMs: 60_000 },
        ...order,
      }),
    ),
  );
}

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
  const file = newFile();
  await writeDuckdb(file, data);
  await open(file, { model, today: data.today }, async (on) => {
    for (const [i, { name, example }] of FUNCTIONS.entries()) {
      const { rows } = await on.answer({ measures: [`m${i}`] });
      expect([name, example.formula, rows]).toEqual([name, example.formula, [[example.gives]]]);
    }
  });
});

test('random questions are answered as on columns', async () => {
  let compared = 0;
  for (let seed = 1; seed <= cases(60); seed++) {
    const kase = makeCase(seed);
    const data = dataOf(kase);
    const { query } = kase.question;
    let expected;
    try {
      expected = answerQuery(data, query);
    } catch (error) {
      if (error instanceof DataError || error instanceof QueryError) continue; // no question, or no answer
      throw error;
    }
    const file = newFile();
    await writeDuckdb(file, data);
    const found = await open(file, { model: data.model, today: data.today }, (on) => on.answer(query));
    if (!isSame(found.rows, expected.rows)) expect({ seed, query, rows: found.rows }).toEqual({ seed, query, rows: expected.rows }); // prettier-ignore
    compared++;
  }
  expect(compared).toBeGreaterThan(30);
}, 120_000);

const found = (claims: readonly JudgedClaim[], id: string): JudgedClaim => claims.find((c) => c.id === id)!;

/** What both ways can know of a verdict. */
const plain = ({ verdict, evidence }: Pick<JudgedClaim, 'verdict' | 'evidence'>) => ({
  verdict,
  checked: evidence.checked,
  against: evidence.against,
  sample: (evidence.sample ?? []).map(({ rows, values }) => JSON.stringify([rows, values])).sort(),
});

test('claims of random small worlds are judged as on columns', async () => {
  await fc.assert(
    fc.asyncProperty(worlds, async (world) => {
      const tables = tablesOf(small, world);
      const data = new ModelData(small, (name) => tables.get(name)!, 0);
      const file = newFile();
      await writeDuckdb(file, data);
      const judged = await open(file, { model: small }, (on) => on.judge('1970-01-01'));
      for (const claim of listClaims(small))
        expect([claim.id, plain(found(judged, claim.id))]).toEqual([
          claim.id,
          plain(judgeClaim(claim, data)),
        ]);
    }),
    { numRuns: cases(10) },
  );
}, 120_000);
