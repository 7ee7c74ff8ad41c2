import { execFileSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { JobState, ModelState } from '@crease/contract';
import { startChild } from './child.ts';
import { ask } from './scratch.ts';
import type { Outcome } from './seeded.ts';
import { seeded } from './seeded.ts';

// A disk that fills up: edits and loads say so, lose nothing, and go on once there is room.

const MEGABYTES = 12;

/** A shell that mounts a small disk of its own on a folder, and then runs what follows. */
const onSmallDisk = (folder: string): string[] => [
  'unshare',
  '-rm',
  'sh',
  '-c',
  `mount -t tmpfs -o size=${MEGABYTES}m tmpfs ${folder} && exec "$@"`,
  'sh',
];

/**
 * Fills a small disk by edits and loads, `count` times. Where the system allows no small disk nothing is
 * tried, and it is said.
 */
export async function disk({ count, seed }: { count: number; seed: number }): Promise<Outcome> {
  const random = seeded(seed);
  const outer = mkdtempSync(join(tmpdir(), 'crease-disk-'));
  const folder = join(outer, 'small');
  mkdirSync(folder);
  try {
    const [command, ...given] = [...onSmallDisk(folder), 'true'];
    try {
      execFileSync(command!, given, { stdio: 'ignore' });
    } catch {
      return { tried: 0, failed: [], note: 'this system allows no small disk: left out' };
    }
    const failed: string[] = [];
    let full = 0;
    for (let n = 0; n < count; n++) {
      const found = await fill(folder, random.below(2_000) + 500);
      full += found.full;
      failed.push(...found.faults.map((fault) => `disk ${n}: ${fault}`));
    }
    if (full === 0) failed.push('the disk was never full');
    return { tried: count, failed, note: `refused for want of room ${full} times` };
  } finally {
    rmSync(outer, { recursive: true, force: true });
  }
}

const DIALECT = { delimiter: ',', quote: '"', header: true, encoding: 'utf-8', newline: '\n' };

async function fill(folder: string, rowLength: number): Promise<{ faults: string[]; full: number }> {
  const server = await startChild(join(folder, 'w.sqlite'), onSmallDisk(folder));
  const { address } = server;
  const faults: string[] = [];
  let [full, title] = [0, 'start'];
  try {
    const { id } = await ask<{ id: number }>(address, 'POST', '/models', { title });
    await load(address, id, 'lent', 'id,text\n1,a\n2,b\n');
    const { revision } = await ask<ModelState>(address, 'GET', `/models/${id}`);
    const edit = TARGETS.map((value) => ({ do: 'put-targets', name: null, value }));
    await ask(address, 'POST', `/models/${id}/edits`, { base: revision.id, edit, says: 'targets' });
    for (let k = 0; full < 6 && k < 200; k++) {
      const state = await ask<ModelState>(address, 'GET', `/models/${id}`);
      if (state.model.title !== title) faults.push(`the title is ${state.model.title}, not ${title}`);
      const next = `title ${k}`;
      const change = { title: next, description: `${k} `.repeat(5_000).slice(0, 18_000) };
      const answer = await fetch(`${address}/api/models/${id}/edits`, {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({ base: state.revision.id, edit: [{ do: 'set-model', change }], says: next }),
      });
      const { code } = (await answer.json()) as { code?: string };
      if (answer.ok) title = next;
      else if (code === 'disk-full') full++;
      else faults.push(`an edit without room is refused as ${code}`);
      if (k % 5 === 0) {
        const refused = await loadRefusal(address, id, k, rowLength);
        if (refused === 'disk-full') full++;
        else if (refused !== undefined) faults.push(refused);
      }
    }
    for (const { name } of TARGETS) {
      const refused = await releaseRefusal(address, id, name);
      if (refused === 'disk-full') full++;
      else if (refused !== undefined) faults.push(refused);
    }
    const after = await ask<ModelState>(address, 'GET', `/models/${id}`);
    if (after.model.title !== title) faults.push('what was said yes to is gone');
    return { faults, full };
  } catch (error) {
    if ((error as { name?: unknown } | undefined)?.name !== 'TypeError') throw error;
    return { faults: [...faults, await server.ended()], full };
  } finally {
    await server.kill();
  }
}

const TARGETS = [
  { name: 'file', kind: 'sqlite', file: 'mart.sqlite' },
  { name: 'folder', kind: 'folder', path: 'mart', as: 'csv' },
];

/** Releases all that is loaded; how it was refused, undefined where it was not. */
async function releaseRefusal(address: string, id: number, target: string): Promise<string | undefined> {
  for (;;) {
    const { done } = await ask<{ done: boolean }>(address, 'GET', `/models/${id}/claims`);
    if (done) break;
    await new Promise((resume) => setTimeout(resume, 20));
  }
  const response = await fetch(`${address}/api/models/${id}/releases`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ target }),
  });
  const answer = (await response.json()) as JobState & { code?: string };
  if (!response.ok)
    return answer.code === 'disk-full' ? answer.code : `a release is refused as ${answer.code}`;
  return ended(address, answer, 'a release');
}

/** Loads a table of texts; how it was refused, undefined where it was not. */
async function loadRefusal(
  address: string,
  id: number,
  k: number,
  length: number,
): Promise<string | undefined> {
  const text = `id,text\n${Array.from({ length: 300 }, (_, i) => `${i},${`${i * k}x`.repeat(length).slice(0, length)}`).join('\n')}\n`;
  return load(address, id, `t${k}`, text);
}

/** Loads a table; how it was refused, undefined where it was not. */
async function load(address: string, id: number, name: string, text: string): Promise<string | undefined> {
  const response = await fetch(`${address}/api/uploads?name=t.csv`, {
    method: 'POST',
    headers: { 'content-type': 'application/octet-stream' },
    body: text,
  });
  const upload = (await response.json()) as { id: string; code?: string; message?: string };
  if (!response.ok)
    return upload.code === 'disk-full' ? upload.code : `an upload is refused as ${upload.code}`;
  const columns = [
    { name: 'id', fileName: 'id', place: 0, type: 'integer' },
    { name: 'text', fileName: 'text', place: 1, type: 'text' },
  ];
  const order = { upload: upload.id, name, dialect: DIALECT, columns, mode: 'replace' };
  const begun = await ask<JobState>(address, 'POST', `/models/${id}/intake`, {
    tables: [order],
    dryRun: false,
  });
  return ended(address, begun, 'a load');
}

/** How a job was refused, undefined where it ended well. */
async function ended(address: string, begun: JobState, what: string): Promise<string | undefined> {
  let job = begun;
  while (job.state === 'running') {
    await new Promise((resume) => setTimeout(resume, 10));
    job = await ask<JobState>(address, 'GET', `/jobs/${job.id}`);
  }
  if (job.state === 'done') return undefined;
  const says = job.faults.join('; ');
  return says.includes('disk is full') || says.includes('no room')
    ? 'disk-full'
    : `${what} is refused as: ${says}`;
}
