// What a large fact in parts costs, over the routes of the server: its whole load, one month of it replaced,
// its profile (first, and again), advice.
//   npm run bench -- parts [--loans N]   (default 6,000,000)
import { spawn } from 'node:child_process';
import { createReadStream, createWriteStream, mkdtempSync, rmSync, statSync } from 'node:fs';
import { once } from 'node:events';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { createInterface } from 'node:readline';
import { Readable } from 'node:stream';
import type { JobState, ModelState, PreviewState } from '@crease/contract';

const at = process.argv.indexOf('--loans');
const loans = at < 0 ? 6_000_000 : Number(process.argv[at + 1]);
/** The month that is replaced. */
const MONTH = '2025-03';
const POLL_MS = 20;
const scratch = mkdtempSync(join(tmpdir(), 'crease-parts-'));
const port = 4700 + Math.floor(Math.random() * 200);
const address = `http://127.0.0.1:${port}/api`;
const program = resolve('cli/bin/crease.mjs');

async function run(...args: string[]): Promise<void> {
  const child = spawn(process.execPath, [program, ...args], { stdio: ['ignore', 'inherit', 'inherit'] });
  const [code] = (await once(child, 'exit')) as [number];
  if (code !== 0) throw new Error(`crease ${args.join(' ')} ended with ${code}`);
}

async function send<T>(path: string, body?: unknown, headers?: Record<string, string>): Promise<T> {
  const isJson = headers === undefined;
  const response = await fetch(`${address}${path}`, {
    ...(body === undefined
      ? {}
      : {
          method: 'POST',
          headers: headers ?? { 'content-type': 'application/json' },
          body: isJson ? JSON.stringify(body) : body,
          duplex: 'half',
        }),
  } as RequestInit);
  if (!response.ok) throw new Error(`${path}: ${await response.text()}`);
  return (await response.json()) as T;
}

async function timed<T>(work: () => Promise<T>): Promise<{ result: T; seconds: number }> {
  const begun = performance.now();
  const result = await work();
  return { result, seconds: (performance.now() - begun) / 1000 };
}

async function ended(job: JobState): Promise<JobState> {
  let state = job;
  while (state.state === 'running') {
    await new Promise((resume) => setTimeout(resume, POLL_MS));
    state = await send<JobState>(`/jobs/${job.id}`);
  }
  if (state.state !== 'done') throw new Error(JSON.stringify(state));
  return state;
}

async function judged(): Promise<void> {
  while (!(await send<{ done: boolean }>('/models/1/claims')).done)
    await new Promise((resume) => setTimeout(resume, POLL_MS));
}

/** Loads a file into the parts of loan_export that its rows are in; seconds from the order to the end. */
async function load(file: string): Promise<number> {
  const stream = Readable.toWeb(createReadStream(file));
  const upload = await send<{ id: string }>('/uploads?name=loan_export.csv', stream, {
    'content-type': 'application/octet-stream',
  });
  const { preview } = await send<PreviewState>(`/uploads/${upload.id}/preview`, {});
  const { model } = await send<ModelState>('/models/1');
  const declared = model.tables.find((t) => t.name === 'loan_export')!.columns;
  const columns = preview.columns.map(({ name, fileName, place }) => {
    const own = declared.find((c) => (c.sourceName ?? c.name) === fileName || c.name === name)!;
    return { name: own.name, fileName, place, type: own.type };
  });
  const order = { upload: upload.id, name: 'loan_export', mode: 'parts', dialect: preview.dialect, columns };
  const { seconds } = await timed(async () =>
    ended(await send<JobState>('/models/1/intake', { tables: [order] })),
  );
  return seconds;
}

/** The lines of a month, with the header. */
async function monthOf(file: string, to: string): Promise<number> {
  const out = createWriteStream(to);
  let [day, count] = [-1, 0];
  for await (const line of createInterface({ input: createReadStream(file), crlfDelay: Infinity })) {
    if (day < 0) day = line.split(',').indexOf('loan_date');
    else if (!line.split(',')[day]!.startsWith(MONTH)) continue;
    else count++;
    if (!out.write(`${line}\n`)) await once(out, 'drain');
  }
  out.end();
  await once(out, 'close');
  return count;
}

const line = (what: string, figure: string, goal = '') =>
  console.log(`${what.padEnd(62)}${figure.padStart(12)}   ${goal}`);

const folder = join(scratch, 'files');
await run('demo', folder, '--loans', String(loans));
const whole = join(folder, 'loan_export.csv');
const month = join(scratch, 'month.csv');
const monthRows = await monthOf(whole, month);
const server = spawn(
  process.execPath,
  [program, ...['serve', '--workspace', 'parts.sqlite', '--port', String(port), '--demo', '--loans', '2000']],
  { cwd: scratch, stdio: ['ignore', 'pipe', 'inherit'], env: { ...process.env, XDG_CONFIG_HOME: scratch } },
);
try {
  await new Promise<void>((ready, fail) => {
    server.stdout.on('data', (text: Buffer) => text.toString().includes('Crease is at') && ready());
    server.on('exit', () => fail(new Error('the server did not start')));
  });
  const state = await send<ModelState>('/models/1');
  const partition = { by: 'loan_date', every: 'month' };
  const edit = [{ do: 'set-table', table: 'loan_export', change: { partition } }];
  await send('/models/1/edits', { base: state.revision.id, edit, says: 'parts by month' });
  console.log(
    `${loans.toLocaleString('en')} loan lines in parts by month, ${(statSync(whole).size / 1e6).toFixed(0)} MB`,
  );
  const all = await load(whole);
  line('the whole load', `${all.toFixed(1)} s`);
  const claims = await timed(judged);
  line('all claims on it', `${claims.seconds.toFixed(1)} s`);
  const first = await timed(() => send('/models/1/profile'));
  line('the profile, first', `${first.seconds.toFixed(2)} s`);
  const again = await timed(() => send('/models/1/profile'));
  line('the profile, again', `${(again.seconds * 1000).toFixed(0)} ms`, 'goal: under 100 ms');
  const advice = await timed(() => send('/models/1/storage-advice'));
  line(
    'advice on all columns',
    `${advice.seconds.toFixed(1)} s`,
    'goal: under 10 s at 6,000,000, in the background',
  );
  const one = await load(month);
  line(
    `one month of it replaced (${monthRows.toLocaleString('en')} lines)`,
    `${one.toFixed(1)} s`,
    `goal: under a twelfth of the whole (${(all / 12).toFixed(1)} s)`,
  );
  const claimsAfter = await timed(judged);
  line('the claims that rest on the fact, after it', `${claimsAfter.seconds.toFixed(1)} s`);
  const after = await timed(() => send('/models/1/profile'));
  line('the profile after it', `${after.seconds.toFixed(2)} s`);
} finally {
  server.kill('SIGTERM');
  await once(server, 'exit');
  rmSync(scratch, { recursive: true, force: true });
}
