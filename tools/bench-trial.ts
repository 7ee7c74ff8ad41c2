// How quickly a trial of the demo is answered by the server, over its routes: the first question some seconds
// after a model was opened, and at once after it, the next ones, a condition that is typed on, and the rows
// behind a cell. Prints medians.
//   npm run bench -- trial [--loans N]   (default 6,000,000)
import { spawn } from 'node:child_process';
import type { ChildProcess } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import type { ModelState, QueryState } from '@crease/contract';
import type { Query } from '@crease/core/model';

const at = process.argv.indexOf('--loans');
const loans = at < 0 ? 6_000_000 : Number(process.argv[at + 1]);
const scratch = mkdtempSync(join(tmpdir(), 'crease-trial-'));
const port = 4700 + Math.floor(Math.random() * 200);
const address = `http://127.0.0.1:${port}/api`;

async function start(): Promise<ChildProcess> {
  const server = spawn(
    process.execPath,
    [
      resolve('cli/bin/crease.mjs'),
      ...['serve', '--workspace', 'trial.sqlite', '--port', String(port)],
      ...['--demo', '--loans', String(loans)],
    ],
    { cwd: scratch, stdio: ['ignore', 'pipe', 'inherit'], env: { ...process.env, XDG_CONFIG_HOME: scratch } },
  );
  await new Promise<void>((ready, fail) => {
    server.stdout.on('data', (text: Buffer) => text.toString().includes('Crease is at') && ready());
    server.on('exit', () => fail(new Error('the server did not start')));
  });
  return server;
}

async function stop(server: ChildProcess): Promise<void> {
  server.kill('SIGTERM');
  await new Promise((done) => server.on('exit', done));
}

async function send<T>(path: string, body?: unknown): Promise<{ answer: T; time: number }> {
  const begun = performance.now();
  const response = await fetch(`${address}${path}`, {
    ...(body === undefined
      ? {}
      : { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) }),
  });
  if (!response.ok) throw new Error(`${path}: ${await response.text()}`);
  const answer = (await response.json()) as T;
  return { answer, time: performance.now() - begun };
}

/** From opening a model to the first question. */
const CHOOSING_MS = 5_000;

const median = (times: readonly number[]): number => [...times].sort((a, b) => a - b)[times.length >> 1]!;
const line = (what: string, times: readonly number[], goal: string) =>
  console.log(`${what.padEnd(58)}${median(times).toFixed(0).padStart(7)} ms   ${goal}`);

const QUESTION: Query = {
  by: ['district.region', 'calendar.year_month'],
  measures: ['Loans', 'Fines', 'Late loans'],
};
/** A question with a condition that is not known yet. */
const under = (where: string): Query => ({ ...QUESTION, filters: [{ where }], totals: true });
/** Untouched, all claims of the demo are judged first: they would take the threads. */
async function judged(): Promise<void> {
  for (;;) {
    const { answer } = await send<{ claims: { verdict: string }[] }>('/models/1/claims');
    if (answer.claims.length > 0 && answer.claims.every((c) => c.verdict !== 'unchecked')) return;
    await new Promise((done) => setTimeout(done, 500));
  }
}

let server = await start();
try {
  await judged();
  await stop(server);
  server = await start();
  console.log(`${loans.toLocaleString('en')} loan lines, two attributes, three measures`);
  await send<ModelState>('/models/1');
  const atOnce = await send<QueryState>('/models/1/query', { query: QUESTION });
  line('first answer, asked at once after a start', [atOnce.time], '');
  await stop(server);
  server = await start();
  await send<ModelState>('/models/1');
  // Whoever opens a model chooses what to ask: meanwhile it is got ready.
  await new Promise((done) => setTimeout(done, CHOOSING_MS));
  const first = await send<QueryState>('/models/1/query', { query: QUESTION });
  line(`first answer, ${CHOOSING_MS / 1000} s after the model was opened`, [first.time], 'goal: under 150');
  const again: number[] = [];
  for (let i = 0; i < 5; i++) again.push((await send('/models/1/query', { query: QUESTION })).time);
  line('the same again', again, '');
  const typed: number[] = [];
  for (const text of ['S', 'Sa', 'Sal', 'Salt', 'Saltm', 'Saltma'])
    typed.push((await send('/models/1/query', { query: under(`branch.town >= '${text}'`) })).time);
  line('a condition on a branch, typed on', typed, 'goal: under 100');
  const numbers: number[] = [];
  for (const text of ['1', '12', '12.5', '12.50', '2'])
    numbers.push((await send('/models/1/query', { query: under(`loan_export.fine > ${text}`) })).time);
  line('a condition on a fine, typed on', numbers, 'goal: under 100');
  const { rows } = first.answer;
  const behind: number[] = [];
  for (const row of rows.slice(0, 6)) {
    const cell = { measure: 'Fines', by: row.slice(0, 2), across: [] };
    const asked = { query: QUESTION, cells: [cell], limit: 500 };
    behind.push((await send('/models/1/rows-behind', asked)).time);
  }
  line('500 rows behind a cell, each cell for the first time', behind, 'goal: under 200');
} finally {
  await stop(server);
  rmSync(scratch, { recursive: true, force: true });
}
