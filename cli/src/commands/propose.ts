import { readdirSync, writeFileSync } from 'node:fs';
import { basename, resolve } from 'node:path';
import type { Command } from 'commander';
import type { Model, Table } from '@crease/core/model';
import { writeModel } from '@crease/core/model';
import { acceptAll, proposeStar } from '@crease/core/propose';
import { ReadError } from '@crease/core/reading';
import { draftTable, openFolder, previewWhole } from '@crease/server/files';
import { CommandError, todayOf } from '../input.ts';

const TABLE_FILE = /\.((csv|tsv|txt)(\.gz)?|parquet)$/i;

export function addPropose(program: Command): void {
  program
    .command('propose <dir>')
    .description(
      'drafts a model from a folder of delimited and Parquet files: tables, types, uses, keys, relationships, each with its evidence',
    )
    .option('--out <file>', 'writes the model file; otherwise standard output')
    .action(async (folder: string, options: { out?: string }) => {
      const tables = await draftedTables(folder);
      const drafted: Model = {
        crease: 1,
        name:
          basename(resolve(folder))
            .toLowerCase()
            .replace(/[^a-z0-9]+/g, '-') || 'draft',
        tables,
      };
      const proposals = proposeStar(await openFolder(drafted, folder, todayOf(drafted)));
      for (const p of proposals)
        process.stderr.write(`${p.kind.padEnd(12)} ${p.says}: ${p.evidence.join('; ')}\n`);
      const text = writeModel(acceptAll(drafted, proposals));
      if (options.out === undefined) process.stdout.write(text);
      else writeFileSync(options.out, text);
    });
}

/** A table of each file that can be read; one that cannot is told and left out. */
async function draftedTables(folder: string): Promise<Table[]> {
  const tables: Table[] = [];
  const files = filesOf(folder);
  for (const file of files) {
    try {
      tables.push(draftTable(file, await previewWhole(resolve(folder, file))));
    } catch (error) {
      if (!(error instanceof ReadError)) throw error;
      process.stderr.write(`left out     ${file}: ${error.message}\n`);
    }
  }
  if (tables.length === 0)
    throw new CommandError(`no file of the folder ${folder} can be read: ${files.join(', ')}`);
  return tables;
}

function filesOf(folder: string): string[] {
  let names: string[];
  try {
    names = readdirSync(folder);
  } catch (error) {
    throw new CommandError(`the folder ${folder} cannot be read (${(error as NodeJS.ErrnoException).code})`);
  }
  const files = names.filter((name) => TABLE_FILE.test(name)).sort();
  if (files.length === 0)
    throw new CommandError(`the folder ${folder} holds no files of tables (.csv, .tsv, .txt, .parquet)`);
  return files;
}
