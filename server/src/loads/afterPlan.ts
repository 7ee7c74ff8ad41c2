import { spawn } from 'node:child_process';
import { readFileSync, statSync } from 'node:fs';
import { homedir } from 'node:os';
import { join } from 'node:path';
import * as z from 'zod';
import type { PlanRun } from '@crease/contract';
import { checkDocument, DocumentError } from '@crease/core/model';

/**
 * What is told of a run of a load plan, and to whom: a file of the account that runs Crease. It is never
 * written by Crease, nor named by a model, a workspace or a request: what it runs is for its owner to say.
 */
const afterSchema = z.strictObject({
  /** A program with its parameters; it gets the run as JSON on its standard input. */
  command: z.array(z.string().min(1)).min(1).optional(),
  /** An address on this machine that the run is posted to as JSON. */
  url: z.url().optional(),
});
export type AfterPlan = z.infer<typeof afterSchema>;

export const defaultAfterFile = (): string =>
  join(process.env.XDG_CONFIG_HOME || join(homedir(), '.config'), 'crease', 'after-plan.json');

/** A file of others, or one that others can write, is not followed. */
class AfterPlanError extends Error {}

/** What the file says; undefined where there is none. Throws AfterPlanError where it must not be followed. */
export function readAfterPlan(file: string): AfterPlan | undefined {
  const found = statSync(file, { throwIfNoEntry: false });
  if (!found) return undefined;
  const isOwn = process.getuid === undefined || found.uid === process.getuid();
  if (!isOwn || (found.mode & 0o022) !== 0)
    throw new AfterPlanError(
      `${file} is not followed: it has to belong to the account that runs Crease, and nobody else may write it (chmod 600)`,
    );
  try {
    const after = checkDocument(afterSchema, JSON.parse(readFileSync(file, 'utf8')), file);
    if (after.url !== undefined && !isOnThisMachine(after.url))
      throw new AfterPlanError(
        `${file}: ${after.url} is not on this machine: use http://127.0.0.1 or http://[::1]`,
      );
    return after;
  } catch (error) {
    if (error instanceof SyntaxError) throw new AfterPlanError(`${file} is no JSON: ${error.message}`);
    if (error instanceof DocumentError) throw new AfterPlanError(error.message);
    throw error;
  }
}

/** A loopback address, as it is written: a name could be resolved to another place. */
function isOnThisMachine(address: string): boolean {
  const { protocol, hostname } = new URL(address);
  return /^https?:$/.test(protocol) && (/^127(\.\d{1,3}){3}$/.test(hostname) || hostname === '[::1]');
}

const LONGEST_MS = 30_000;

/** Tells of a run as the file says. Gives what went wrong, which ends nothing. */
export async function tellAfterPlan(
  file: string,
  model: string,
  run: Omit<PlanRun, 'id'>,
): Promise<string[]> {
  const faults: string[] = [];
  try {
    const after = readAfterPlan(file);
    const text = JSON.stringify({ model, ...run });
    if (after?.url !== undefined) await post(after.url, text).catch((e: Error) => faults.push(e.message));
    if (after?.command) await give(after.command, text).catch((e: Error) => faults.push(e.message));
  } catch (error) {
    if (!(error instanceof AfterPlanError)) throw error;
    faults.push(error.message);
  }
  return faults;
}

async function post(url: string, body: string): Promise<void> {
  const answer = await fetch(url, {
    method: 'POST',
    body,
    headers: { 'content-type': 'application/json' },
    // Elsewhere would not be this machine.
    redirect: 'error',
    signal: AbortSignal.timeout(LONGEST_MS),
  });
  await answer.body?.cancel();
  if (!answer.ok) throw new Error(`${url} answered ${answer.status}`);
}

/** Runs a program without a shell. */
function give([program, ...parameters]: readonly string[], input: string): Promise<void> {
  return new Promise((done, fail) => {
    const child = spawn(program!, parameters, { stdio: ['pipe', 'ignore', 'ignore'], shell: false });
    const late = setTimeout(() => child.kill(), LONGEST_MS);
    child.on('error', (error) => {
      clearTimeout(late);
      fail(new Error(`${program} cannot be run: ${error.message}`));
    });
    child.on('exit', (status, signal) => {
      clearTimeout(late);
      if (status === 0) done();
      else fail(new Error(`${program} ended with ${status ?? signal}`));
    });
    // A program that does not read what it is given has ended on its own.
    child.stdin.on('error', () => undefined);
    child.stdin.end(input);
  });
}
