import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Command } from 'commander';
import type { Workspace } from '@crease/server';
import { CommandError } from '../input.ts';
import { writeDemo } from './demo.ts';

interface Options {
  readonly workspace: string;
  readonly port: string;
  readonly demo?: boolean;
  readonly loans: string;
  readonly readOnly?: boolean;
  readonly publicOrigin?: string;
}

const cannotServe = (port: number) => (error: NodeJS.ErrnoException) => {
  throw new CommandError(
    error.code === 'EADDRINUSE'
      ? `the port ${port} is in use: stop the program that uses it, or choose another with --port`
      : error.message,
  );
};

/** The reading room alone: nothing of the workspace is written, and no lock of it is needed. */
async function serveForReaders({ workspace, demo, publicOrigin }: Options, port: number): Promise<void> {
  if (demo) throw new CommandError('--demo writes a model: leave it out with --read-only');
  const { serveReadingRoom } = await import('@crease/server');
  const served = await serveReadingRoom({
    workspace,
    port,
    publicOrigin: publicOrigin === undefined ? undefined : originOf(publicOrigin),
  }).catch(cannotServe(port));
  process.stdout.write(`The reading room is at ${served.address}/r\n`);
  const stop = () => void served.close().then(() => process.exit(0));
  process.on('SIGINT', stop);
  process.on('SIGTERM', stop);
}

/** The origin as browsers write it. Throws CommandError for an address with a path, or none. */
function originOf(text: string): string {
  const url = URL.canParse(text) ? new URL(text) : undefined;
  if (!url || !/^https?:$/.test(url.protocol) || url.pathname !== '/' || url.search || url.hash)
    throw new CommandError(
      `--public-origin ${text}: an origin is a scheme and a host, such as https://reports.library.example`,
    );
  return url.origin;
}

export function addServe(program: Command): void {
  program
    .command('serve')
    .description('the web application, on the loopback address')
    .option(
      '--workspace <file>',
      'the workspace file; made where it does not exist',
      'crease.workspace.sqlite',
    )
    .option('--port <n>', 'the port; 0 takes any that is free', '4600')
    .option('--demo', 'adds the made-up library consortium if the workspace has no models')
    .option('--loans <n>', 'size of the demo in loan lines', '200000')
    .option('--read-only', 'only the reading room of what was released, beside a running server too')
    .option('--public-origin <url>', 'with --read-only: the origin of a proxy with accounts before it')
    .action(async (options: Options) => {
      const port = Number(options.port);
      if (!Number.isInteger(port) || port < 0 || port > 65535)
        throw new CommandError(`--port ${options.port}: a port is a whole number up to 65535`);
      if (options.readOnly) return serveForReaders(options, port);
      if (options.publicOrigin !== undefined)
        throw new CommandError(
          '--public-origin is for --read-only: the workbench itself is never behind a proxy',
        );
      // The server is loaded only here: the other commands start fast without it.
      const { bringIn, serve } = await import('@crease/server');
      const { demoModel } = await import('@crease/demo');
      const makeDemo = async (workspace: Workspace): Promise<number> => {
        const folder = mkdtempSync(join(tmpdir(), 'crease-demo-'));
        try {
          writeDemo(folder, Number(options.loans));
          return await bringIn(workspace, demoModel(), folder, 'added the demo');
        } finally {
          rmSync(folder, { recursive: true, force: true });
        }
      };
      const served = await serve({ workspace: options.workspace, port, makeDemo }).catch(cannotServe(port));
      if (options.demo && served.workspace.models.ids().length === 0) await makeDemo(served.workspace);
      process.stdout.write(`Crease is at ${served.address}\n`);
      const stop = () => void served.close().then(() => process.exit(0));
      process.on('SIGINT', stop);
      process.on('SIGTERM', stop);
    });
}
