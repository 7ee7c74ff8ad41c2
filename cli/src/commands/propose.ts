import { readdirSync, writeFileSync } from 'node:fs';
import { basename, resolve } from 'node:path';
import type { Command } from 'commander';
import type { Model } from '@crease/core/model';
import { writeModel } from '@crease/core/model';
import { acceptAll, proposeStar } from '@crease/core/propose';
import { draftTable, folderData, previewOf } from '@crease/server/files';
import { CommandError, todayOf } from '../input.ts';

const TABLE_FILE = /\.(csv|tsv|txt)$/i;

export function addPropose(program: Command): void {
  program
    .command('propose <dir>')
    .description(
      'drafts a model from a folder of delimited files: tables, types, uses, keys, relationships, each with its evidence',
    )
    .option('--out <file>', 'writes the model file; otherwise it goes to standard output')
    .action((folder: string, options: { out?: string }) => {
      const files = filesOf(folder);
      const tables = files.map((file) => draftTable(file, previewOf(resolve(folder, file), undefined, true)));
      const drafted: Model = {
        crease: 1,
        name:
          basename(resolve(folder))
            .toLowerCase()
            .replace(/[^a-z0-9]+/g, '-') || 'draft',
        tables,
      };
      const proposals = proposeStar(folderData(drafted, folder, todayOf(drafted)));
      for (const p of proposals)
        process.stderr.write(`${p.kind.padEnd(12)} ${p.says}: ${p.evidence.join('; ')}\n`);
      const text = writeModel(acceptAll(drafted, proposals));
      if (options.out === undefined) process.stdout.write(text);
      else writeFileSync(options.out, text);
    });
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
    throw new CommandError(`the folder ${folder} holds no delimited files (.csv, .tsv, .txt)`);
  return files;
}
