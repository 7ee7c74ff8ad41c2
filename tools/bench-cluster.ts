// What questions on a cluster cost, by rows and by nodes: what nodes read, what they send, what travels here.
//   npm run bench -- cluster [--loans 2000000,6000000] [--nodes 1,2,3]
import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import type { ClaimsState } from '@crease/contract';
import { connectionOf, writeModel } from '../core/src/model/index.ts';
import type { Model, Query } from '../core/src/model/index.ts';
import type { Cluster } from './clickhouse/cluster.ts';
import { startCluster } from './clickhouse/cluster.ts';
import { demoRows } from './clickhouse/demo.ts';

const list = (name: string, usual: readonly number[]): readonly number[] => {
  const at = process.argv.indexOf(`--${name}`);
  return at < 0 ? usual : process.argv[at + 1]!.split(',').map(Number);
};
const loans = list('loans', [2_000_000, 6_000_000]);
const nodes = list('nodes', [1, 2, 3]);

const QUESTIONS: readonly Query[] = [
  { measures: ['Loans'], by: ['branch.name'] },
  { measures: ['Fines'], by: ['calendar.year', 'calendar.month'] },
  { measures: ['Loans', 'Late loans'], by: ['branch.name', 'calendar.year'] },
  { measures: ['Borrowers'], by: ['branch.name'] },
];

/** The model with its tables where they lie in the cluster. */
const passed = ({ corrections: _, ...model }: Model): Model => ({
  ...model,
  tables: model.tables.map(({ source, ...table }) =>
    source && 'file' in source
      ? {
          ...table,
          source: { connection: 'cluster', schema: 'lending', table: table.name },
          held: false,
          columns: table.columns.map(({ pattern: __, ...c }) => c),
        }
      : { ...table, ...(source ? { source } : {}) },
  ),
});

interface Read {
  readonly rows: number;
  readonly bytes: number;
  readonly sentRows: number;
  readonly travelled: number;
}

/** What nodes have read and sent since they began, and what the coordinator has sent here. */
async function readSoFar({ coordinator, nodes: all }: Cluster): Promise<Read> {
  const sum = { rows: 0, bytes: 0, sentRows: 0 };
  for (const node of all) {
    await node.run('system flush logs');
    const answer = await node.run(
      'select sum(read_rows), sum(read_bytes), sum(result_rows) from system.query_log where type = 2 and is_initial_query = 0',
    );
    const [rows, bytes, sentRows] = answer.split('\t').map(Number);
    sum.rows += rows!;
    sum.bytes += bytes!;
    sum.sentRows += sentRows!;
  }
  await coordinator.run('system flush logs');
  const travelled = await coordinator.run(
    "select sum(result_bytes) from system.query_log where type = 2 and is_initial_query = 1 and query like '%count()%JSONCompact%'",
  );
  return { ...sum, travelled: Number(travelled) };
}

const program = resolve('cli/bin/crease.mjs');
console.log(
  `${'loan lines'.padStart(12)} ${'nodes'.padStart(5)}  ${'question'.padEnd(44)} ${'ms'.padStart(7)} ${'rows read'.padStart(12)} ${'MB read'.padStart(8)} ${'groups sent'.padStart(12)} ${'MB here'.padStart(8)}`,
);
for (const count of loans) {
  const { model, rowsOf } = demoRows(count);
  const document = writeModel(passed(model));
  if (!passed(model).tables.some((t) => connectionOf(t))) throw new Error('no table is passed through');
  for (const many of nodes) {
    const cluster = await startCluster(many);
    const scratch = mkdtempSync(join(tmpdir(), 'crease-bench-cluster-'));
    const port = 4800 + Math.floor(Math.random() * 200);
    const server = spawn(
      process.execPath,
      [program, 'serve', '--workspace', 'w.sqlite', '--port', String(port)],
      {
        cwd: scratch,
        stdio: ['ignore', 'pipe', 'inherit'],
        env: { ...process.env, XDG_CONFIG_HOME: scratch },
      },
    );
    const send = async (method: string, path: string, body: unknown): Promise<unknown> => {
      const response = await fetch(`http://127.0.0.1:${port}/api${path}`, {
        method,
        headers: { 'content-type': 'application/json' },
        ...(method === 'GET' ? {} : { body: JSON.stringify(body) }),
      });
      if (!response.ok) throw new Error(`${path}: ${await response.text()}`);
      return response.json();
    };
    try {
      await cluster.write(model, rowsOf);
      await new Promise<void>((ready) =>
        server.stdout.on('data', (text: Buffer) => text.toString().includes('Crease is at') && ready()),
      );
      await send('PUT', '/connections', { kind: 'clickhouse', name: 'cluster', ...cluster.place });
      await send('POST', '/models/import', { text: document });
      const told = async (what: string, work: () => Promise<unknown>) => {
        const before = await readSoFar(cluster);
        const begun = performance.now();
        await work();
        const ms = performance.now() - begun;
        const after = await readSoFar(cluster);
        const of = (key: keyof Read) => after[key] - before[key];
        const mb = (bytes: number) => (bytes / 1e6).toFixed(1).padStart(8);
        console.log(
          `${count.toLocaleString('en').padStart(12)} ${String(many).padStart(5)}  ${what.padEnd(44)} ${ms.toFixed(0).padStart(7)} ${of('rows').toLocaleString('en').padStart(12)} ${mb(of('bytes'))} ${of('sentRows').toLocaleString('en').padStart(12)} ${mb(of('travelled'))}`,
        );
      };
      let state: ClaimsState;
      await told('all claims', async () => {
        while (!(state = (await send('GET', '/models/1/claims', undefined)) as ClaimsState).done)
          await new Promise((resume) => setTimeout(resume, 50));
      });
      const open = state!.claims.filter(({ verdict }) => verdict === 'unchecked');
      console.log(
        `  of ${state!.claims.length} claims open: ${open.map(({ id }) => id).join(', ') || 'none'}`,
      );
      for (const query of QUESTIONS)
        await told(`${query.measures.join(', ')} by ${query.by!.join(', ')}`, () =>
          send('POST', '/models/1/query', { query }),
        );
    } finally {
      server.kill('SIGTERM');
      await once(server, 'exit');
      await cluster.stop();
      rmSync(scratch, { recursive: true, force: true });
    }
  }
}
