import type { Command } from 'commander';
import type { Dialect } from '@crease/core/interchange';
import { createTables, DDL_DIALECTS } from '@crease/core/interchange';
import { modelJsonSchema } from '@crease/core/model';
import { CommandError, loadModel } from '../input.ts';

export function addDdl(program: Command): void {
  program
    .command('ddl <model>')
    .description('prints CREATE TABLE statements with keys and foreign keys')
    .option('--dialect <name>', DDL_DIALECTS.join(' or '), 'postgresql')
    .action((modelFile: string, options: { dialect: string }) => {
      if (!(DDL_DIALECTS as readonly string[]).includes(options.dialect))
        throw new CommandError(`there is no dialect "${options.dialect}": use ${DDL_DIALECTS.join(' or ')}`);
      process.stdout.write(createTables(loadModel(modelFile), options.dialect as Dialect));
    });
  program
    .command('schema')
    .description('prints the JSON Schema of the model file')
    .action(() => {
      process.stdout.write(`${JSON.stringify(modelJsonSchema(), null, 2)}\n`);
    });
}
