import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import Database from 'better-sqlite3';
import type { ClaimsState, JobState, ModelState, ReleaseEntry } from '@crease/contract';
import { startChild } from './child.ts';
import { ask } from './scratch.ts';
import type { Outcome } from './seeded.ts';
import { seeded } from './seeded.ts';

// A server that is killed in the midst of releases: each target is as it was or as it was meant to be,
// readers see one release whole, and the next release removes what was left over.

const ROWS = 2_000;
const LONGEST_MS = 4_000;
const MOST_TIMES = 4;
const DIALECT = { delimiter: ',', quote: '"', header: true, encoding: 'utf-8', newline: '\n' };
const TARGETS = [
  { name: 'file', kind: 'sqlite', file: 'out/mart.sqlite' },
  { name: 'folder', kind: 'folder', path: 'out/mart', as: 'csv' },
];

/** All rows of a load have its number: at a target there are rows of one number alone. */
async function load(address: string, id: number, number: number): Promise<void> {
  const lines = Array.from({ length: ROWS }, (_, i) => `${i},${number}`);
  const text = `id,load\n${lines.join('\n')}\n`;
  const upload = await ask<{ id: string }>(address, 'POST', '/uploads?name=loan.csv', text);
  const columns = ['id', 'load'].map((name, place) => ({ name, fileName: name, place, type: 'integer' }));
  const order = { upload: upload.id, name: 'loan', dialect: DIALECT, columns, mode: 'replace' };
  const body = { tables: [order], dryRun: false };
  await ended(address, await ask<JobState>(address, 'POST', `/models/${id}/intake`, body));
}

async function ended(address: string, begun: JobState): Promise<void> {
  let job = begun;
  while (job.state === 'running') {
    await new Promise((resume) => setTimeout(resume, 10));
    job = await ask<JobState>(address, 'GET', `/jobs/${job.id}`);
  }
  if (job.state !== 'done') throw new Error(job.faults.join('; '));
}

async function release(address: string, id: number, target: string): Promise<void> {
  for (;;) {
    const { done } = await ask<ClaimsState>(address, 'GET', `/models/${id}/claims`);
    if (done) break;
    await new Promise((resume) => setTimeout(resume, 20));
  }
  await ended(address, await ask<JobState>(address, 'POST', `/models/${id}/releases`, { target }));
}

/** Kills a server again and again while it releases to a file and to a folder. */
export async function releases({ count, seed }: { count: number; seed: number }): Promise<Outcome> {
  const random = seeded(seed);
  const folder = mkdtempSync(join(tmpdir(), 'crease-releases-'));
  const workspace = join(folder, 'w.sqlite');
  const failed: string[] = [];
  let [tried, done] = [0, 0];
  try {
    let server = await startChild(workspace);
    const { id } = await ask<{ id: number }>(server.address, 'POST', '/models', { title: 'released' });
    await load(server.address, id, 0);
    const { revision } = await ask<ModelState>(server.address, 'GET', `/models/${id}`);
    await ask(server.address, 'POST', `/models/${id}/edits`, {
      base: revision.id,
      edit: [
        { do: 'set-table', table: 'loan', change: { key: ['id'], role: 'fact' } },
        { do: 'put-measures', name: null, value: { name: 'Loads', formula: 'sum(loan.load)' } },
        ...TARGETS.map((value) => ({ do: 'put-targets', name: null, value })),
      ],
      says: 'targets',
    });
    for (let n = 1; n <= count || (done === 0 && n <= MOST_TIMES * count); n++) {
      tried = n;
      const busy = (async () => {
        for (let k = 0; ; k++) {
          await load(server.address, id, n * 1000 + k);
          for (const { name } of TARGETS) {
            await release(server.address, id, name);
            done++;
          }
        }
      })().catch((error: unknown) => {
        // A server that is gone breaks the connection off, or in the middle of an answer.
        if (!['TypeError', 'SyntaxError'].includes(String((error as { name?: unknown }).name))) throw error;
      });
      await new Promise((resume) => setTimeout(resume, random.below(LONGEST_MS) * Math.ceil(n / count)));
      await server.kill();
      await busy;
      failed.push(...faultsAt(folder).map((fault) => `kill ${n}: ${fault}`));
      server = await startChild(workspace);
      failed.push(...(await faultsOfReaders(server.address, id)).map((fault) => `kill ${n}: ${fault}`));
    }
    // All goes on, and nothing of what was stopped is left.
    await load(server.address, id, 7);
    for (const { name } of TARGETS) await release(server.address, id, name);
    const after = [...faultsAt(folder), ...leftovers(folder)];
    failed.push(...after.map((fault) => `at the end: ${fault}`));
    await server.kill();
    if (done === 0) failed.push('no release ended well');
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
  return { tried, failed, note: `${done} releases ended well` };
}

/** What is wrong with what lies at the targets. */
const faultsAt = (folder: string): string[] => [
  ...faultsOfFile(join(folder, 'out/mart.sqlite')),
  ...faultsOfFolder(join(folder, 'out/mart')),
];

/** Rows of one load, all of them. */
const faultsOfRows = (where: string, loads: readonly number[]): string[] =>
  loads.length === ROWS && new Set(loads).size === 1
    ? []
    : [`${where} has ${loads.length} rows, of ${new Set(loads).size} loads`];

function faultsOfFile(file: string): string[] {
  if (!existsSync(file)) return [];
  const db = new Database(file);
  try {
    const checked = db.pragma('integrity_check', { simple: true }) as string;
    const tables = db
      .prepare(`select count(*) from sqlite_master where name in ('loan', 'crease_release')`)
      .pluck();
    // A first release that was stopped leaves a file without anything.
    if (tables.get() === 0) return checked === 'ok' ? [] : [`the file: ${checked}`];
    const loads = db.prepare('select load from loan').pluck().all() as number[];
    const numbers = db
      .prepare('select release from crease_release order by release')
      .pluck()
      .all() as number[];
    return [
      ...(checked === 'ok' ? [] : [`the file: ${checked}`]),
      ...faultsOfRows('the file', loads),
      ...(numbers.every((n, i) => n === i + 1) && numbers.length > 0
        ? []
        : [`releases ${numbers.join(', ')}`]),
    ];
  } finally {
    db.close();
  }
}

function faultsOfFolder(folder: string): string[] {
  const pointer = join(folder, 'current.json');
  if (!existsSync(pointer)) return [];
  const { path } = JSON.parse(readFileSync(pointer, 'utf8')) as { path: string };
  const file = join(folder, path, 'loan.csv');
  if (!existsSync(file)) return [`${path} is not whole`];
  const [, ...lines] = readFileSync(file, 'utf8').trimEnd().split('\n');
  return faultsOfRows(
    'the folder',
    lines.map((line) => Number(line.split(',')[1])),
  );
}

/** Folders and files of releases that were stopped. */
function leftovers(folder: string): string[] {
  const left = [...readdirSync(join(folder, 'out')), ...readdirSync(join(folder, 'out/mart/releases'))];
  return left
    .filter((name) => name.includes('.tmp') || /-(journal|wal)$/.test(name))
    .map((name) => `${name} is left over`);
}

/** Readers see the last release that ended well, whole. */
async function faultsOfReaders(address: string, id: number): Promise<string[]> {
  const log = await ask<ReleaseEntry[]>(address, 'GET', `/models/${id}/releases`);
  if (!log.some((entry) => entry.kept === 'for readers')) return [];
  const query = {
    measures: [
      { name: 'n', formula: 'count(loan)' },
      { name: 'least', formula: 'min(loan.load)' },
      { name: 'most', formula: 'max(loan.load)' },
    ],
  };
  const { perspectives } = (
    await ask<{ id: number; perspectives: { name: string }[] }[]>(address, 'GET', '/released')
  ).find((m) => m.id === id)!;
  const path = `/released/${id}/${encodeURIComponent(perspectives[0]!.name)}/query`;
  const { rows } = await ask<{ rows: number[][] }>(address, 'POST', path, { query });
  const [n, least, most] = rows[0]!;
  return n === ROWS && least === most ? [] : [`readers see ${n} rows of ${least} to ${most}`];
}
