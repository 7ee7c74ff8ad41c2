import { writeFileSync } from 'node:fs';
import type { Command } from 'commander';
import { cataloguePage } from '@crease/core/interchange';
import type { FolderOptions } from '../folderRows.ts';
import { NO_CACHE } from '../folderRows.ts';
import { CommandError, loadModel } from '../input.ts';
import { judgeFolder } from '../judgeFolder.ts';

export function addCatalogue(program: Command): void {
  program
    .command('catalogue <model>')
    .description(
      'writes the model as one HTML page to hand over: what everything is, and no value of the data',
    )
    .requiredOption('--out <file>', 'the page')
    .option('--data <dir>', 'judges the claims on the files of this folder, and lists what does not hold')
    .option(...NO_CACHE)
    .action(async (modelFile: string, options: FolderOptions & { out: string }) => {
      const { model, claims } =
        options.data === undefined
          ? { model: loadModel(modelFile), claims: undefined }
          : await judgeFolder(modelFile, options);
      try {
        writeFileSync(options.out, cataloguePage(model, claims, new Date()));
      } catch (error) {
        throw new CommandError(`${options.out} cannot be written (${(error as NodeJS.ErrnoException).code})`);
      }
    });
}
