import { readFileSync, writeFileSync } from 'node:fs';
import { basename } from 'node:path';
import type { Command } from 'commander';
import { Option } from 'commander';
import { modelOfDataPackage, modelOfTableMetadata } from '@crease/core/interchange';
import type { Model } from '@crease/core/model';
import { writeModel } from '@crease/core/model';
import { designOfSql } from '@crease/server/sql-design';
import { CommandError } from '../input.ts';

export function addImport(program: Command): void {
  program
    .command('import <file>')
    .description('a model of the tables that a file declares, with keys, references and comments; no rows')
    .addOption(
      new Option('--as <format>', 'what the file is: CREATE TABLE statements, or a description of files')
        .choices(['ddl', 'data-package', 'csvw'])
        .default('ddl'),
    )
    .option('--out <file>', 'writes the model file; otherwise standard output')
    .action((file: string, options: { as: string; out?: string }) => {
      const { model, notes } = readDesign(file, options.as);
      for (const note of notes) process.stderr.write(`${note}\n`);
      const text = writeModel(model);
      if (options.out === undefined) process.stdout.write(text);
      else writeFileSync(options.out, text);
    });
}

/** A model by the name of its file, as names of models are written. */
const nameOf = (file: string): string =>
  basename(file)
    .replace(/\.\w+$/, '')
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-') || 'design';

function readDesign(file: string, format: string): { model: Model; notes: readonly string[] } {
  if (format === 'ddl') {
    const { tables, relationships, notes } = designOfSql(textOf(file));
    if (tables.length === 0) throw new CommandError(`${file} creates no table`);
    return {
      model: { crease: 1, name: nameOf(file), tables, relationships },
      notes: notes.map(({ line, text }) => `line ${line}: ${text}`),
    };
  }
  const read = format === 'csvw' ? modelOfTableMetadata : modelOfDataPackage;
  const { model, notes } = read(parsed(file));
  if (model.tables.length === 0) throw new CommandError(`${file} describes no table`);
  return { model: model.name === 'design' ? { ...model, name: nameOf(file) } : model, notes };
}

function parsed(file: string): unknown {
  try {
    return JSON.parse(textOf(file));
  } catch (error) {
    if (!(error instanceof SyntaxError)) throw error;
    throw new CommandError(`${file} is no JSON: ${error.message}`);
  }
}

function textOf(file: string): string {
  try {
    return readFileSync(file, 'utf8');
  } catch (error) {
    throw new CommandError(`${file} cannot be read (${(error as NodeJS.ErrnoException).code})`);
  }
}
