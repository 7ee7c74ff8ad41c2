import { createReadStream, existsSync } from 'node:fs';
import { basename, resolve } from 'node:path';
import { Readable } from 'node:stream';
import type { Command } from 'commander';
import type { JobState, LoadResult, UploadState } from '@crease/contract';
import type { LockHolder } from '@crease/server';
import { CommandError } from '../input.ts';

interface Options {
  readonly workspace: string;
  readonly model?: string;
  readonly dryRun?: boolean;
  readonly json?: boolean;
  readonly parts?: string;
}

export function addLoad(program: Command): void {
  program
    .command('load <name> [file]')
    .description('loads a table by a recipe, from a newer file or from its database; or runs a load plan')
    .option('--workspace <file>', 'the workspace file', 'crease.workspace.sqlite')
    .option('--model <name>', 'the model by its name or number, where the workspace has several')
    .option('--parts <list>', 'of a table kept in parts those to load, such as 2025,2026')
    .option('--dry-run', 'says what would happen, and stores nothing')
    .option('--json', 'the outcome as JSON')
    .action(async (recipe: string, file: string | undefined, options: Options) => {
      const path = resolve(options.workspace);
      if (!existsSync(path))
        throw new CommandError(`there is no workspace ${options.workspace}: name one with --workspace`);
      if (file !== undefined && !existsSync(file)) throw new CommandError(`there is no file ${file}`);
      const run = {
        recipe,
        file,
        model: options.model,
        dryRun: options.dryRun ?? false,
        ...chosen(options.parts),
      };
      // The server is loaded only here: the other commands start fast without it.
      const { lockHolder } = await import('@crease/server');
      try {
        const holder = lockHolder(path);
        const outcome =
          holder?.address === undefined ? await loadHere(path, run) : await loadThere(holder, run);
        print(outcome, options.json ?? false);
      } catch (error) {
        throw error instanceof CommandError ? error : new CommandError((error as Error).message);
      }
    });
}

/** Parts as they are named with commas between. */
function chosen(list: string | undefined): { parts?: string[] } {
  if (list === undefined) return {};
  const parts = list.split(',').flatMap((text) => (text.trim() === '' ? [] : [text.trim()]));
  if (parts.length === 0) throw new CommandError('--parts names no part: write them like 2025,2026');
  return { parts };
}

interface Run {
  readonly recipe: string;
  readonly file: string | undefined;
  readonly model: string | undefined;
  readonly dryRun: boolean;
  readonly parts?: readonly string[];
}
type Outcome = Pick<JobState, 'detail' | 'loads' | 'warnings' | 'broken'>;

/** Of a recipe its table, of a load plan all that it loaded. */
function print({ detail, loads = [], warnings = [], broken = [] }: Outcome, json: boolean): void {
  for (const warning of warnings) process.stderr.write(`crease: ${warning}\n`);
  for (const claim of broken) process.stderr.write(`crease: the load broke ${claim}\n`);
  const leftOut = loads.reduce((sum, load) => sum + load.leftOut + load.counts.refused, 0);
  process.exitCode = leftOut > 0 || broken.length > 0 ? 1 : 0;
  if (json) {
    process.stdout.write(`${JSON.stringify(loads.length === 1 ? loads[0] : loads, null, 2)}\n`);
    return;
  }
  process.stdout.write(`${loads.map(loadText).join('')}${detail}\n`);
}

const loadText = ({ table, counts, removed, parts, notChosen }: LoadResult): string =>
  `${table}: ${counts.added} new, ${counts.changed} changed, ${counts.unchanged} unchanged, ${counts.refused} refused, ${removed} gone\n${partLines(parts, notChosen)}`;

function partLines(parts: LoadResult['parts'], notChosen = 0): string {
  const lines = (parts ?? []).map(
    ({ name, rows, was }) => `  ${name}: ${rows} rows, ${was === null ? 'new' : `${was} before`}\n`,
  );
  return `${lines.join('')}${notChosen > 0 ? `  ${notChosen} rows of other parts were not taken\n` : ''}`;
}

/** Loads in this process, which has the workspace for itself meanwhile. */
async function loadHere(path: string, run: Run): Promise<Outcome> {
  const { loadByName, lockWorkspace, Workspace } = await import('@crease/server');
  const lock = lockWorkspace(path);
  const log = {
    error: (details: object, message: string) =>
      void process.stderr.write(`${message} ${JSON.stringify(details)}\n`),
  };
  try {
    const workspace = new Workspace(path, log);
    try {
      return await loadByName(workspace, run);
    } finally {
      await workspace.close();
    }
  } finally {
    lock.release();
  }
}

/** Has the server that has the workspace open do the load. */
async function loadThere({ address, token }: LockHolder, run: Run): Promise<Outcome> {
  const ask = async <T>(path: string, init: RequestInit = {}): Promise<T> => {
    const response = await fetch(`${address}/api${path}`, {
      ...init,
      headers: { 'x-crease-token': token, ...(init.headers ?? {}) },
    });
    const answer = (await response.json()) as T & { message?: string };
    if (!response.ok) throw new CommandError(answer.message ?? `the server answered ${response.status}`);
    return answer;
  };
  const { file, ...rest } = run;
  const upload =
    file === undefined
      ? undefined
      : await ask<UploadState>(`/uploads?name=${encodeURIComponent(basename(file))}`, {
          method: 'POST',
          headers: { 'content-type': 'application/octet-stream' },
          body: Readable.toWeb(createReadStream(file)) as ReadableStream,
          duplex: 'half',
        } as RequestInit);
  let job = await ask<JobState>('/recipes/run', {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ ...rest, ...(upload ? { upload: upload.id } : {}) }),
  });
  while (job.state === 'running') {
    await new Promise((resume) => setTimeout(resume, POLL_MS));
    job = await ask<JobState>(`/jobs/${job.id}`);
  }
  if (job.state !== 'done') throw new CommandError(job.faults.join('\n') || job.detail);
  return job;
}

const POLL_MS = 200;
