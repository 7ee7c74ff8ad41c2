import { existsSync } from 'node:fs';
import { resolve } from 'node:path';
import type { Command } from 'commander';
import { CommandError } from '../input.ts';

interface Options {
  readonly workspace: string;
  readonly model?: string;
  readonly dryRun?: boolean;
  readonly json?: boolean;
}

export function addLoad(program: Command): void {
  program
    .command('load <recipe> [file]')
    .description('loads a table by a recipe that was kept, from a newer file or from its database')
    .option('--workspace <file>', 'the workspace file', 'crease.workspace.sqlite')
    .option('--model <name>', 'the model, where the workspace has several')
    .option('--dry-run', 'says what would happen, and stores nothing')
    .option('--json', 'the outcome as JSON')
    .action(async (recipe: string, file: string | undefined, options: Options) => {
      const path = resolve(options.workspace);
      if (!existsSync(path))
        throw new CommandError(`there is no workspace ${options.workspace}: name one with --workspace`);
      if (file !== undefined && !existsSync(file)) throw new CommandError(`there is no file ${file}`);
      // The server is loaded only here: the other commands start fast without it.
      const { loadByRecipe, Workspace } = await import('@crease/server');
      const log = {
        error: (details: object, message: string) =>
          void process.stderr.write(`${message} ${JSON.stringify(details)}\n`),
      };
      const workspace = new Workspace(path, log, { guest: true });
      try {
        const { detail, loads } = await loadByRecipe(workspace, {
          recipe,
          file,
          model: options.model,
          dryRun: options.dryRun ?? false,
        });
        if (options.json) process.stdout.write(`${JSON.stringify(loads[0], null, 2)}\n`);
        else {
          const { table, counts, removed } = loads[0]!;
          process.stdout.write(
            `${table}: ${counts.added} new, ${counts.changed} changed, ${counts.unchanged} unchanged, ${counts.refused} refused, ${removed} gone\n${detail}\n`,
          );
        }
      } catch (error) {
        throw error instanceof CommandError ? error : new CommandError((error as Error).message);
      } finally {
        await workspace.close();
      }
    });
}
