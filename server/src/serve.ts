import { createServer } from 'node:http';
import type { RequestListener, Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { existsSync, mkdirSync } from 'node:fs';
import { dirname, resolve } from 'node:path';
import { fileURLToPath } from 'node:url';
import pino from 'pino';
import { makeApp, makeReadingRoom } from './app.ts';
import { Scheduler } from './loads/scheduler.ts';
import { Models, readWorkspace, Releases } from './store/index.ts';
import { makePool } from './tasks/pool.ts';
import { Workspace } from './workspace.ts';
import type { ReaderLimits } from './readers/fileReaders.ts';
import type { WorkspaceLock } from './workspaceLock.ts';
import { lockWorkspace } from './workspaceLock.ts';

export interface ServeOptions {
  readonly workspace: string;
  /** 0 takes any free port. */
  readonly port: number;
  readonly screens?: string;
  readonly quiet?: boolean;
  /** How much time and memory the readers of files have. */
  readonly readers?: ReaderLimits;
  /** Adds a demo where somebody asks for one, and gives its model's id. */
  readonly makeDemo?: (workspace: Workspace) => Promise<number>;
  /** Holds each answer against its schema, as the tests do. */
  readonly checksAnswers?: boolean;
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

/**
 * Serves a workspace on the loopback address. The port is bound first, then the workspace is locked, then it
 * is opened: where one of them cannot be, nothing has been touched. Rejects where the port is taken, or
 * another process has the workspace.
 */
export async function serve(options: ServeOptions): Promise<Served> {
  const log = pino({ level: options.quiet ? 'silent' : 'warn' });
  const file = resolve(options.workspace);
  let handle: RequestListener = (_request, response) => {
    response.writeHead(503, { 'content-type': 'application/json', 'retry-after': '1' });
    response.end(JSON.stringify({ code: 'busy', message: 'the workspace is being opened: wait a moment' }));
  };
  const server = createServer((request, response) => handle(request, response));
  server.listen(options.port, '127.0.0.1');
  await new Promise<void>((ready, fail) => {
    server.once('listening', ready);
    server.once('error', fail);
  });
  const address = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  let lock: WorkspaceLock | undefined;
  try {
    mkdirSync(dirname(file), { recursive: true });
    lock = lockWorkspace(file, address);
    const workspace = new Workspace(file, log, {
      token: lock.token,
      readers: options.readers,
      makeDemo: options.makeDemo,
    });
    const { screens = screensFolder(), checksAnswers = false } = options;
    handle = makeApp(workspace, screens, { checksAnswers }) as unknown as RequestListener;
    const scheduler = new Scheduler(workspace);
    scheduler.start();
    const close = () => {
      scheduler.stop();
      return closeAll(server, workspace, lock!);
    };
    return { workspace, address, close };
  } catch (error) {
    lock?.release();
    server.closeAllConnections();
    server.close();
    throw error;
  }
}

export interface ReadingRoomOptions extends Pick<
  ServeOptions,
  'workspace' | 'port' | 'screens' | 'quiet' | 'checksAnswers'
> {
  /** Of a proxy with accounts before it, such as `https://reports.library.example`. */
  readonly publicOrigin?: string | undefined;
}

/**
 * Serves the reading room of a workspace alone, on the loopback address: beside a server that has the
 * workspace, or without one. Rejects where the port is taken or there is no such workspace.
 */
export async function serveReadingRoom(options: ReadingRoomOptions): Promise<Omit<Served, 'workspace'>> {
  const log = pino({ level: options.quiet ? 'silent' : 'warn' });
  const file = resolve(options.workspace);
  const db = readWorkspace(file);
  const pool = makePool(
    (error) => log.error({ error: String(error) }, 'work in the background failed'),
    true,
  );
  const { screens = screensFolder(), checksAnswers = false, publicOrigin } = options;
  const source = { file, models: new Models(db), releases: new Releases(db), pool, log };
  const app = makeReadingRoom(source, screens, {
    checksAnswers,
    ...(publicOrigin === undefined ? {} : { publicOrigin }),
  });
  const server = createServer(app as unknown as RequestListener);
  const close = async () => {
    server.closeAllConnections();
    await new Promise((done) => server.close(done));
    await pool.close();
    db.close();
  };
  server.listen(options.port, '127.0.0.1');
  try {
    await new Promise<void>((ready, fail) => {
      server.once('listening', ready);
      server.once('error', fail);
    });
  } catch (error) {
    await pool.close();
    db.close();
    throw error;
  }
  return { address: `http://127.0.0.1:${(server.address() as AddressInfo).port}`, close };
}

async function closeAll(server: Server, workspace: Workspace, lock: WorkspaceLock): Promise<void> {
  workspace.hub.close();
  server.closeAllConnections();
  await new Promise((done) => server.close(done));
  await workspace.close();
  lock.release();
}
