import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import Database from 'better-sqlite3';
import fc from 'fast-check';
import type { Model } from '@crease/core/model';
import { releaseToPostgresql, releaseToSqlite } from '../src/release.ts';
import type { Cluster } from './postgresql.ts';
import { startPostgresql } from './postgresql.ts';
import { libraryOrder, LOANS, MODEL } from './releaseOrder.ts';
import { cases } from '../../tools/cases.ts';

// A release over others leaves what a first one makes: the same tables, views, keys and rows, whatever was
// there before.

let folder: string;
beforeEach(() => (folder = mkdtempSync(join(tmpdir(), 'crease-over-'))));
afterEach(() => rmSync(folder, { recursive: true, force: true }));

/** One of the models that follow each other at a target. */
interface Step {
  readonly weight: boolean;
  readonly twice: boolean;
  readonly title: string | undefined;
  readonly perspective: 'none' | 'desk' | 'other';
  readonly trial: boolean;
  readonly branch: boolean;
  readonly key: boolean;
  readonly decimals: 2 | 4;
  readonly loans: readonly string[];
  readonly definitionsOnly: boolean;
}
const step: fc.Arbitrary<Step> = fc.record({
  weight: fc.boolean(),
  twice: fc.boolean(),
  title: fc.constantFrom(undefined, 'Lending', `a "quoted" title's`),
  perspective: fc.constantFrom('none', 'desk', 'other'),
  trial: fc.boolean(),
  branch: fc.boolean(),
  key: fc.boolean(),
  decimals: fc.constantFrom(2, 4),
  loans: fc.subarray(LOANS, { minLength: 1 }),
  definitionsOnly: fc.boolean(),
});

function modelOf(is: Step): Model {
  const [loan, branch] = MODEL.tables as [Model['tables'][0], Model['tables'][0]];
  const columns = loan.columns
    .filter((c) => is.weight || c.name !== 'weight')
    .map((c) => (c.name === 'fine' ? { ...c, type: `decimal(9,${is.decimals})` } : c));
  const twice = is.twice ? [{ name: 'twice', type: 'decimal(12,4)', formula: 'fine * 2' }] : [];
  const { key: _key, ...keyless } = loan;
  const { title: _title, ...untitled } = is.key ? loan : keyless;
  const own = {
    ...untitled,
    ...(is.title === undefined ? {} : { title: is.title }),
    columns: [...columns, ...twice],
  };
  const hasTrial = is.trial && is.branch;
  const perspective = {
    name: is.perspective === 'desk' ? 'Desk' : 'The other "one"',
    tables: is.branch ? ['branch', 'loan'] : ['loan'],
    measures: ['Loans'],
    ...(hasTrial ? { trials: ["North's"] } : {}),
  };
  const { relationships, trials, perspectives: _perspectives, ...rest } = MODEL;
  return {
    ...rest,
    tables: is.branch ? [own, branch] : [own],
    ...(is.branch ? { relationships } : {}),
    measures: MODEL.measures!.slice(0, is.weight ? 3 : 2),
    ...(hasTrial ? { trials } : {}),
    ...(is.perspective === 'none' ? {} : { perspectives: [perspective] }),
  };
}

/** The order of a step; the last one brings rows, so that all of them are those of the model. */
const orderOf = (is: Step, isLast: boolean) =>
  libraryOrder(folder, {
    model: modelOf(is),
    loans: [...is.loans],
    definitionsOnly: !isLast && is.definitionsOnly,
  });

/** All that a SQLite file holds beside the record of releases. */
function sqliteHolds(file: string): unknown {
  const db = new Database(file, { readonly: true });
  try {
    const objects = db
      .prepare(
        `select type, name, tbl_name, sql from sqlite_master where name not like 'crease_%' order by 1, 2`,
      )
      .all() as { type: string; name: string }[];
    const rows = objects
      .filter(({ type }) => type === 'table' || type === 'view')
      .map(({ name }) => [
        name,
        db
          .prepare(`select * from "${name.replaceAll('"', '""')}" order by 1`)
          .raw()
          .all(),
      ]);
    const listed = db.prepare('select kind, name, definition from crease_object order by 1, 2').raw().all();
    const measures = db.prepare('select * from crease_measure order by name').raw().all();
    return { objects, rows, listed, measures };
  } finally {
    db.close();
  }
}

test('SQLite: a release over others is what a first one makes', async () => {
  let n = 0;
  await fc.assert(
    fc.asyncProperty(fc.array(step, { minLength: 2, maxLength: 4 }), async (steps) => {
      const [over, fresh] = [join(folder, `over${++n}.sqlite`), join(folder, `fresh${n}.sqlite`)];
      for (const [i, is] of steps.entries())
        await releaseToSqlite(over, await orderOf(is, i === steps.length - 1));
      await releaseToSqlite(fresh, await orderOf(steps.at(-1)!, true));
      expect(sqliteHolds(over)).toEqual(sqliteHolds(fresh));
    }),
    { numRuns: cases(6) },
  );
});

describe('PostgreSQL', () => {
  let cluster: Cluster;
  beforeAll(async () => void (cluster = await startPostgresql()), 120_000);
  afterAll(() => cluster?.stop(), 60_000);
  const to = (schema: string) => ({
    target: { name: 'mart', kind: 'postgresql' as const, connection: 'warehouse', schema },
    place: cluster.place,
  });
  const quoted = (name: string) => `"${name.replaceAll('"', '""')}"`;

  /** All that lies in a schema and in those of its audiences, with the schema's name taken out. */
  async function schemaHolds(schema: string): Promise<unknown> {
    const ask = async (text: string, values: unknown[] = []) =>
      (await cluster.client.query<unknown[]>({ text, values, rowMode: 'array' })).rows;
    const relations = (await ask(
      `select n.nspname, c.relname, c.relkind::text, coalesce(obj_description(c.oid), ''),
         case when c.relkind = 'v' then pg_get_viewdef(c.oid) else
           (select string_agg(a.attname || ' ' || format_type(a.atttypid, a.atttypmod) || a.attnotnull || coalesce(col_description(c.oid, a.attnum), ''), ', ' order by a.attnum)
            from pg_attribute a where a.attrelid = c.oid and a.attnum > 0 and not a.attisdropped) end,
         (select string_agg(pg_get_constraintdef(k.oid), '; ' order by k.conname) from pg_constraint k where k.conrelid = c.oid)
       from pg_class c join pg_namespace n on n.oid = c.relnamespace
       where (n.nspname = $1 or n.nspname like $1 || '\\_%') and c.relkind in ('r', 'v') and c.relname not like 'crease\\_%'
       order by 1, 2`,
      [schema],
    )) as string[][];
    const rows = [];
    for (const [of, name] of relations)
      rows.push(await ask(`select t::text from ${quoted(of!)}.${quoted(name!)} t order by 1`));
    return JSON.parse(JSON.stringify({ relations, rows }).replaceAll(schema, 'SCHEMA')) as unknown;
  }

  test('a release over others is what a first one makes', async () => {
    let n = 0;
    await fc.assert(
      fc.asyncProperty(fc.array(step, { minLength: 2, maxLength: 3 }), async (steps) => {
        const [over, fresh] = [`over${++n}x`, `fresh${n}x`];
        for (const [i, is] of steps.entries())
          await releaseToPostgresql(to(over), await orderOf(is, i === steps.length - 1));
        await releaseToPostgresql(to(fresh), await orderOf(steps.at(-1)!, true));
        expect(await schemaHolds(over)).toEqual(await schemaHolds(fresh));
      }),
      { numRuns: cases(3) },
    );
  });

  test('psql reads what was released', async () => {
    await releaseToPostgresql(to('read'), await libraryOrder(folder, {}));
    const { host, port, user, password, database } = cluster.place;
    const parameters = ['-h', host, '-p', String(port), '-U', user, '-d', database, '-At', '-c'];
    const psql = (sql: string) =>
      execFileSync('psql', [...parameters, sql], {
        encoding: 'utf8',
        env: { ...process.env, PGPASSWORD: password },
      });
    expect(psql('select "Branch name" from "read_Desk"."Branches" order by 1')).toBe("Nor'th\nSouth\n");
    expect(psql('select sum(fine) from read.loan')).toBe('13.49\n');
    expect(psql('\\d read.loan')).toContain('no|bigint||not null');
    expect(psql(`select name, formula from read.crease_measure where name = 'Fines'`)).toBe(
      'Fines|sum(loan.fine)\n',
    );
  });
});
