import type { AddressInfo } from 'node:net';
import { existsSync, mkdirSync } from 'node:fs';
import { dirname, resolve } from 'node:path';
import { fileURLToPath } from 'node:url';
import pino from 'pino';
import { makeApp } from './app.ts';
import { Workspace } from './workspace.ts';

export interface ServeOptions {
  readonly workspace: string;
  /** 0 takes any free port. */
  readonly port: number;
  readonly screens?: string;
  readonly quiet?: boolean;
}

export interface Served {
  readonly workspace: Workspace;
  readonly address: string;
  close(): Promise<void>;
}

/** Where the built screens lie, beside the built programs or in the source tree. */
export function screensFolder(): string {
  const here = dirname(fileURLToPath(import.meta.url));
  return (
    ['../../web/dist', '../web/dist'].map((path) => resolve(here, path)).find((path) => existsSync(path)) ??
    resolve(here, '../../web/dist')
  );
}

/** Opens a workspace and serves it on the loopback address. Rejects where the port is taken or the workspace cannot be opened. */
export async function serve(options: ServeOptions): Promise<Served> {
  const log = pino({ level: options.quiet ? 'silent' : 'warn' });
  mkdirSync(dirname(resolve(options.workspace)), { recursive: true });
  const workspace = new Workspace(resolve(options.workspace), log);
  const app = makeApp(workspace, options.screens ?? screensFolder());
  const server = app.listen(options.port, '127.0.0.1');
  await new Promise<void>((ready, fail) => {
    server.once('listening', ready);
    server.once('error', fail);
  });
  return {
    workspace,
    address: `http://127.0.0.1:${(server.address() as AddressInfo).port}`,
    close: async () => {
      workspace.hub.close();
      server.closeAllConnections();
      await new Promise((done) => server.close(done));
      await workspace.close();
    },
  };
}
