import type { ChildProcess } from 'node:child_process';
import { spawn } from 'node:child_process';
import { fileURLToPath } from 'node:url';

const PROGRAM = fileURLToPath(new URL('./serverChild.ts', import.meta.url));
const START_MS = 30_000;

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
  const node = [process.execPath, '--expose-gc', '--import', 'tsx', PROGRAM, workspace];
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
