import { readFileSync, writeFileSync } from 'node:fs';
import { basename } from 'node:path';
import type { Command } from 'commander';
import { Option } from 'commander';
import type { Model } from '@crease/core/model';
import { writeModel } from '@crease/core/model';
import { designOfSql } from '@crease/server/files';
import { CommandError } from '../input.ts';

export function addImport(program: Command): void {
  program
    .command('import <file>')
    .description('a model of the tables that a file declares, with keys, references and comments; no rows')
    .addOption(
      new Option('--as <format>', 'what the file is: CREATE TABLE statements')
        .choices(['ddl'])
        .default('ddl'),
    )
    .option('--out <file>', 'writes the model file; otherwise standard output')
    .action((file: string, options: { out?: string }) => {
      const { tables, relationships, notes } = designOfSql(textOf(file));
      for (const { line, text } of notes) process.stderr.write(`line ${line}: ${text}\n`);
      if (tables.length === 0) throw new CommandError(`${file} creates no table`);
      const name = basename(file)
        .replace(/\.\w+$/, '')
        .toLowerCase()
        .replace(/[^a-z0-9]+/g, '-');
      const model: Model = { crease: 1, name: name || 'design', tables, relationships };
      const text = writeModel(model);
      if (options.out === undefined) process.stdout.write(text);
      else writeFileSync(options.out, text);
    });
}

function textOf(file: string): string {
  try {
    return readFileSync(file, 'utf8');
  } catch (error) {
    throw new CommandError(`${file} cannot be read (${(error as NodeJS.ErrnoException).code})`);
  }
}
