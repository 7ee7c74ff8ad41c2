import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { ERRORS } from '../../src/errors.ts';
import type { Served, ServeOptions } from '../../src/index.ts';
import { serve } from '../../src/index.ts';

/** A server over an empty workspace in a folder of its own; what fails in the background is told. */
export async function withServer<T>(
  onBug: (text: string) => void,
  use: (served: Served, folder: string) => Promise<T>,
  options: Partial<ServeOptions> = {},
): Promise<T> {
  const folder = mkdtempSync(join(tmpdir(), 'crease-torture-'));
  // The key of passwords goes there too.
  process.env.XDG_CONFIG_HOME = folder;
  const served = await serve({
    workspace: join(folder, 'w.sqlite'),
    port: 0,
    quiet: true,
    checksAnswers: true,
    ...options,
  });
  const log = {
    error: (details: object, message: string) =>
      onBug(`in the background: ${message} ${JSON.stringify(details).slice(0, 600)}`),
  };
  Object.assign(served.workspace, { log });
  try {
    return await use(served, folder);
  } finally {
    await served.close();
    rmSync(folder, { recursive: true, force: true });
  }
}

/** Words that an answer to a person never has: places of this machine, and traces. */
function leakOf(text: string, folder: string): string | undefined {
  const home = process.env.HOME ?? '/root';
  const found = [folder, `${process.cwd()}/`, `${home}/`, 'node_modules/', 'file:///'].find(
    (place) => place.length > 2 && text.includes(place),
  );
  return found ?? /\n\s+at .+:\d+:\d+/.exec(text)?.[0];
}

/** What is wrong with an answer: a fault of the program, no code, a place of the machine. */
export function faultIn(status: number, text: string, folder: string): string | undefined {
  const leak = leakOf(text, folder);
  if (leak !== undefined) return `the answer shows ${leak}`;
  if (status < 400) return undefined;
  let code: unknown;
  try {
    ({ code } = JSON.parse(text) as { code?: unknown });
  } catch {
    return `${status} without JSON: ${text.slice(0, 200)}`;
  }
  if (typeof code !== 'string' || !(code in ERRORS))
    return `${status} with no known code: ${text.slice(0, 200)}`;
  return code === 'internal' ? text.slice(0, 300) : undefined;
}

/** Sends JSON or bytes, and gives what came as JSON. Throws where the answer is no. */
export async function ask<T>(address: string, method: string, path: string, body?: unknown): Promise<T> {
  const isRaw = typeof body === 'string' || body instanceof Uint8Array;
  const response = await fetch(`${address}/api${path}`, {
    method,
    headers: { 'content-type': isRaw ? 'application/octet-stream' : 'application/json' },
    ...(body === undefined ? {} : { body: isRaw ? (body as string) : JSON.stringify(body) }),
  });
  if (!response.ok) throw new Error(`${method} ${path}: ${await response.text()}`);
  return (await response.json()) as T;
}
