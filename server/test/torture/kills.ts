import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import Database from 'better-sqlite3';
import type { JobState, ModelState, RowPage } from '@crease/contract';
import type { ServerChild } from './child.ts';
import { startChild } from './child.ts';
import { ask } from './scratch.ts';
import type { Outcome } from './seeded.ts';
import { seeded } from './seeded.ts';

// A server that is killed in the midst of uploads, loads and edits: what it had said yes to is there, and
// nothing is half there.

const ROWS = 3_000;
const LONGEST_MS = 800;
/** So many times the kills that were asked for, at most, where nothing has ended well until then. */
const MOST_TIMES = 4;
const DIALECT = { delimiter: ',', quote: '"', header: true, encoding: 'utf-8', newline: '\n' };

/** What the server has said yes to, and what is under way. */
interface Said {
  title: string;
  asked: string;
  /** Rows of the table all have the number of their load. */
  loaded: number;
  loading: number;
  /** Loads and edits that ended well. */
  loads: number;
  edits: number;
}

/** Kills a server again and again, at random moments. */
export async function kills({ count, seed }: { count: number; seed: number }): Promise<Outcome> {
  const random = seeded(seed);
  const folder = mkdtempSync(join(tmpdir(), 'crease-kills-'));
  const workspace = join(folder, 'w.sqlite');
  const failed: string[] = [];
  let tried = 0;
  const moments = { edits: 0, loads: 0 };
  try {
    let server = await startChild(workspace);
    const { id } = await ask<{ id: number }>(server.address, 'POST', '/models', { title: 'start' });
    await loadOnce(server.address, id, 1, 'replace');
    await keepInParts(server.address, id);
    const said: Said = { title: 'start', asked: 'start', loaded: 1, loading: 1, loads: 0, edits: 0 };
    // On a busy machine a load may need longer than a kill leaves it: then there are more kills, later ones.
    const isIdle = () => said.edits === 0 || said.loads === 0;
    for (let n = 1; n <= count || (isIdle() && n <= MOST_TIMES * count); n++) {
      tried = n;
      const busy = [edits(server, id, said, n), loads(server, id, said, n)];
      await new Promise((resume) => setTimeout(resume, random.below(LONGEST_MS) * Math.ceil(n / count)));
      await server.kill();
      await Promise.all(busy);
      if (said.asked !== said.title) moments.edits++;
      if (said.loading !== said.loaded) moments.loads++;
      server = await startChild(workspace);
      failed.push(...(await faultsAfter(server, workspace, id, said)).map((fault) => `kill ${n}: ${fault}`));
    }
    await server.kill();
    // Else nothing would have been tried.
    if (said.edits === 0 || said.loads === 0)
      failed.push(`only ${said.edits} edits and ${said.loads} loads ended well`);
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
  return { tried, failed, note: `${moments.edits} in an edit, ${moments.loads} in a load` };
}

/** Edits until the server is gone. */
async function edits({ address }: ServerChild, id: number, said: Said, n: number): Promise<void> {
  try {
    for (let k = 0; ; k++) {
      const { revision } = await ask<ModelState>(address, 'GET', `/models/${id}`);
      said.asked = `title ${n}.${k}`;
      const edit = [{ do: 'set-model', change: { title: said.asked } }];
      // A load in between makes a newer head: then this one is refused, and asked again.
      const done = await ask(address, 'POST', `/models/${id}/edits`, {
        base: revision.id,
        edit,
        says: said.asked,
      }).catch((error: Error) => {
        if (error.message.includes('"conflict"')) return undefined;
        throw error;
      });
      if (done) {
        said.title = said.asked;
        said.edits++;
      }
      if (!done) said.asked = said.title;
    }
  } catch (error) {
    unlessGone(error);
  }
}

const PARTS = 3;

/** Loads a table that is kept in parts: rows of all parts, each with the load's number. */
async function loadOnce(
  address: string,
  id: number,
  number: number,
  mode: 'replace' | 'parts',
  onOrder: () => void = () => undefined,
): Promise<void> {
  const lines = Array.from({ length: ROWS }, (_, i) => `${i},${number},${i % PARTS}`);
  const upload = await ask<{ id: string }>(
    address,
    'POST',
    '/uploads?name=loan.csv',
    `id,load,part\n${lines.join('\n')}\n`,
  );
  const columns = ['id', 'load', 'part'].map((name, place) => ({
    name,
    fileName: name,
    place,
    type: 'integer',
  }));
  const order = { upload: upload.id, name: 'loan', dialect: DIALECT, columns, mode };
  onOrder();
  let job = await ask<JobState>(address, 'POST', `/models/${id}/intake`, { tables: [order], dryRun: false });
  while (job.state === 'running') {
    await new Promise((resume) => setTimeout(resume, 5));
    job = await ask<JobState>(address, 'GET', `/jobs/${job.id}`);
  }
  if (job.state !== 'done') throw new Error(job.faults.join('; '));
}

/** Has the table kept in parts. */
async function keepInParts(address: string, id: number): Promise<void> {
  const { revision } = await ask<ModelState>(address, 'GET', `/models/${id}`);
  const change = { partition: { by: 'part', every: 'value' } };
  await ask(address, 'POST', `/models/${id}/edits`, {
    base: revision.id,
    edit: [{ do: 'set-table', table: 'loan', change }],
    says: 'parts',
  });
}

/** Loads until the server is gone: all rows of a load have its number, in all parts. */
async function loads({ address }: ServerChild, id: number, said: Said, n: number): Promise<void> {
  try {
    for (let k = 0; ; k++) {
      const number = n * 1000 + k;
      await loadOnce(address, id, number, k % 2 === 0 ? 'parts' : 'replace', () => (said.loading = number));
      said.loaded = number;
      said.loads++;
    }
  } catch (error) {
    unlessGone(error);
  }
}

/**
 * A server that is gone breaks the connection off (fetch: TypeError), or in the middle of an answer: that is
 * what is wanted. Throws any other error.
 */
function unlessGone(error: unknown): void {
  // By name: a test runner has classes of errors of its own.
  if (!['TypeError', 'SyntaxError'].includes(String((error as { name?: unknown } | undefined)?.name)))
    throw error;
}

/** What is not as it was said. What was under way may be there whole, and is what is known from now on. */
async function faultsAfter(
  { address }: ServerChild,
  workspace: string,
  id: number,
  said: Said,
): Promise<string[]> {
  const faults: string[] = [];
  const { model, stored } = await ask<ModelState>(address, 'GET', `/models/${id}`);
  if (model.title === said.asked) said.title = said.asked;
  else if (model.title !== said.title)
    faults.push(`the title is ${model.title}, not ${said.title} or ${said.asked}`);
  said.asked = said.title;
  const table = stored.find((t) => t.name === 'loan');
  if (!table && said.loaded !== 0) faults.push('the table is gone');
  if (table) {
    const path = `/models/${id}/tables/loan/rows`;
    const first = await ask<RowPage>(address, 'GET', `${path}?offset=0&count=1`);
    const last = await ask<RowPage>(address, 'GET', `${path}?offset=${ROWS - 1}&count=1`);
    const [begin, end] = [first, last].map((page) => Number(page.rows[0]?.[1]));
    if ((table.parts?.length ?? PARTS) !== PARTS)
      faults.push(`there are ${table.parts!.length} parts of ${PARTS}`);
    if (begin !== end || first.total !== ROWS)
      faults.push(`the rows are of ${begin} and of ${end}, ${first.total} of ${ROWS}`);
    if (begin === said.loading) said.loaded = said.loading;
    else if (begin !== said.loaded)
      faults.push(`the rows are of load ${begin}, not ${said.loaded} or ${said.loading}`);
  }
  said.loading = said.loaded;
  return [...faults, ...faultsOfFile(workspace)];
}

function faultsOfFile(workspace: string): string[] {
  const db = new Database(workspace, { readonly: true });
  try {
    const checked = db.pragma('integrity_check', { simple: true }) as string;
    const half = db.prepare(`select count(*) as n from stored_table where state = 'loading'`).get() as {
      n: number;
    };
    const strays = db.prepare('pragma foreign_key_check').all();
    return [
      ...(checked === 'ok' ? [] : [`the file: ${checked}`]),
      ...(half.n === 0 ? [] : [`${half.n} tables are half loaded`]),
      ...(strays.length === 0 ? [] : [`${strays.length} records belong to nothing`]),
    ];
  } finally {
    db.close();
  }
}
