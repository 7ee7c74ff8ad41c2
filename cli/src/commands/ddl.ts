import type { Command } from 'commander';
import type { Dialect } from '@crease/core/interchange';
import { createTables, DDL_DIALECTS } from '@crease/core/interchange';
import type { JudgedClaim } from '@crease/core/claims';
import { againstDefinitions, refusalOfDefinitions } from '@crease/core/claims';
import { modelJsonSchema } from '@crease/core/model';
import type { FolderOptions } from '../folderRows.ts';
import { NO_CACHE } from '../folderRows.ts';
import { CommandError, loadModel } from '../input.ts';
import { judgeFolder, judgeWithoutRows } from '../judgeFolder.ts';

export function addDdl(program: Command): void {
  program
    .command('ddl <model>')
    .description(
      'prints CREATE TABLE statements with keys and foreign keys, unless a blocking claim is broken',
    )
    .option('--dialect <name>', DDL_DIALECTS.join(' or '), 'postgresql')
    .option('--data <dir>', 'judges the claims about data too, on the files of this folder')
    .option(...NO_CACHE)
    .option('--unchecked', 'prints them whatever the claims say')
    .action(async (modelFile: string, options: FolderOptions & { dialect: string; unchecked?: boolean }) => {
      if (!(DDL_DIALECTS as readonly string[]).includes(options.dialect))
        throw new CommandError(`there is no dialect "${options.dialect}": use ${DDL_DIALECTS.join(' or ')}`);
      const model = loadModel(modelFile);
      const refusal = options.unchecked ? undefined : await refusalOf(modelFile, options);
      if (refusal === undefined) {
        process.stdout.write(createTables(model, options.dialect as Dialect));
        return;
      }
      process.stderr.write(`crease: ${refusal}. --unchecked prints the definitions all the same\n`);
      process.exitCode = 1;
    });
  program
    .command('schema')
    .description('prints the JSON Schema of the model file')
    .action(() => {
      process.stdout.write(`${JSON.stringify(modelJsonSchema(), null, 2)}\n`);
    });
}

/** Why the definitions are not printed; undefined where nothing stands against them. */
async function refusalOf(modelFile: string, options: FolderOptions): Promise<string | undefined> {
  const claims: JudgedClaim[] =
    options.data === undefined ? judgeWithoutRows(modelFile) : (await judgeFolder(modelFile, options)).claims;
  return refusalOfDefinitions(againstDefinitions(claims));
}
