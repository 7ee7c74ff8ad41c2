import type { ChildProcess } from 'node:child_process';
import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { buildSync } from 'esbuild';
import { PACKAGES_APART } from '../../../tools/packagesApart.mjs';

const START_MS = 30_000;
const root = join(import.meta.dirname, '../../..');
let program: string | undefined;

/**
 * The server as one file, made once: to read its sources takes longer than all that it is asked before it is
 * killed.
 */
function serverProgram(): string {
  if (program !== undefined) return program;
  // Within the folder of packages, where it finds those that stay apart.
  const outfile = join(root, `node_modules/.cache/crease/serverChild-${process.pid}.mjs`);
  buildSync({
    entryPoints: [join(import.meta.dirname, 'serverChild.ts')],
    outfile,
    bundle: true,
    platform: 'node',
    target: 'node20',
    format: 'esm',
    external: PACKAGES_APART,
    banner: {
      js: "import { createRequire } from 'node:module'; const require = createRequire(import.meta.dirname + '/');",
    },
    // It finds its threads as the sources do that it was made of.
    define: { 'import.meta.url': JSON.stringify(pathToFileURL(join(root, 'server/src/tasks/pool.ts'))) },
  });
  return (program = outfile);
}

/** A server in a process of its own. */
export interface ServerChild {
  readonly address: string;
  readonly process: ChildProcess;
  /** Ends it at once, as a loss of power does. */
  kill(): Promise<void>;
  /** How it ended by itself; for one that should be running. */
  ended(): Promise<string>;
  /** Bytes that are in use once what is not has been collected. */
  memory(): Promise<number>;
}

/**
 * Starts a server; rejects where it does not start. `before` is a command that runs it, as one that gives it
 * a small disk.
 */
export async function startChild(workspace: string, before: readonly string[] = []): Promise<ServerChild> {
  const node = [process.execPath, '--expose-gc', serverProgram(), workspace];
  const [command, ...given] = [...before, ...node];
  const child = spawn(command!, given, {
    stdio: ['ignore', 'pipe', 'pipe', 'ipc'],
    // Passwords are kept beside the workspace; the child is told apart from the tests that started it.
    env: {
      ...process.env,
      XDG_CONFIG_HOME: `${workspace}.settings`,
      JEST_WORKER_ID: undefined,
      NODE_OPTIONS: '',
    },
  });
  const gone = new Promise<void>((resolve) => child.once('exit', () => resolve()));
  let [out, err] = ['', ''];
  child.stderr!.on('data', (text) => (err += String(text)));
  const address = await new Promise<string>((resolve, reject) => {
    const timer = setTimeout(() => reject(new Error(`the server does not start: ${err}`)), START_MS);
    child.stdout!.on('data', (text) => {
      out += String(text);
      const found = /http:\/\/\S+/.exec(out)?.[0];
      if (found !== undefined) {
        clearTimeout(timer);
        resolve(found);
      }
    });
    child.once('exit', (code) => {
      clearTimeout(timer);
      reject(new Error(`the server ended with ${code}: ${err.slice(0, 500)}`));
    });
  });
  return {
    address,
    process: child,
    kill: async () => {
      child.kill('SIGKILL');
      await gone;
    },
    ended: async () => {
      await gone;
      return `the server ended with ${child.exitCode ?? child.signalCode}: ${err.slice(0, 2000)}`;
    },
    memory: () =>
      new Promise((resolve) => {
        child.once('message', (bytes) => resolve(bytes as number));
        child.send('memory');
      }),
  };
}
