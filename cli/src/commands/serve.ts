import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Command } from 'commander';
import type { Workspace } from '@crease/server';
import { CommandError } from '../input.ts';
import { writeDemo } from './demo.ts';

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
    .action(async (options: { workspace: string; port: string; demo?: boolean; loans: string }) => {
      const port = Number(options.port);
      if (!Number.isInteger(port) || port < 0 || port > 65535)
        throw new CommandError(`--port ${options.port}: a port is a whole number up to 65535`);
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
      const served = await serve({ workspace: options.workspace, port, makeDemo }).catch(
        (error: NodeJS.ErrnoException) => {
          throw new CommandError(
            error.code === 'EADDRINUSE'
              ? `the port ${port} is in use: stop the program that uses it, or choose another with --port`
              : error.message,
          );
        },
      );
      if (options.demo && served.workspace.models.ids().length === 0) await makeDemo(served.workspace);
      process.stdout.write(`Crease is at ${served.address}\n`);
      const stop = () => void served.close().then(() => process.exit(0));
      process.on('SIGINT', stop);
      process.on('SIGTERM', stop);
    });
}
