import { writeFileSync } from 'node:fs';
import type { Command } from 'commander';
import { cataloguePage, catalogueText } from '@crease/core/interchange';
import type { CatalogueExtras } from '@crease/core/interchange';
import type { ModelData } from '@crease/core/query';
import { DataError } from '@crease/core/query';
import { profileModel } from '@crease/core/storage';
import { toText } from '@crease/core/values';
import type { FolderOptions } from '../folderRows.ts';
import { NO_CACHE } from '../folderRows.ts';
import { CommandError, loadModel } from '../input.ts';
import { judgeFolder } from '../judgeFolder.ts';

interface Options extends FolderOptions {
  readonly out: string;
  readonly samples?: string;
}

export function addCatalogue(program: Command): void {
  program
    .command('catalogue <model>')
    .description('writes the model as one page to hand over: what everything is, and no value of the data')
    .requiredOption('--out <file>', 'the page: HTML, or Markdown where it ends with .md')
    .option('--data <dir>', 'with verdicts on the files of this folder, and what is held of them')
    .option('--samples <n>', 'with the first rows of each table: values of the data are in the page then')
    .option(...NO_CACHE)
    .action(async (modelFile: string, options: Options) => {
      const samples = samplesOf(options);
      const { model, extras } =
        options.data === undefined
          ? { model: loadModel(modelFile), extras: {} }
          : await withData(modelFile, options, samples);
      const write = options.out.toLowerCase().endsWith('.md') ? catalogueText : cataloguePage;
      try {
        writeFileSync(options.out, write(model, new Date(), extras));
      } catch (error) {
        throw new CommandError(`${options.out} cannot be written (${(error as NodeJS.ErrnoException).code})`);
      }
    });
}

const MOST_SAMPLES = 100;

function samplesOf({ samples, data }: Options): number {
  if (samples === undefined) return 0;
  if (data === undefined) throw new CommandError('--samples is for --data: without rows there are none');
  const found = Number(samples);
  if (!Number.isInteger(found) || found < 1 || found > MOST_SAMPLES)
    throw new CommandError(`--samples ${samples}: a whole number from 1 to ${MOST_SAMPLES}`);
  return found;
}

async function withData(modelFile: string, options: Options, samples: number) {
  const { model, claims, data } = await judgeFolder(modelFile, options);
  const extras: CatalogueExtras = {
    claims,
    profile: profileModel(data),
    ...(samples > 0
      ? { samples: new Map(model.tables.map((t) => [t.name, firstRows(data, t.name, samples)] as const)) }
      : {}),
  };
  return { model, extras };
}

/** The first rows of a table as texts; what cannot be had of it is left empty. */
function firstRows(data: ModelData, table: string, most: number): string[][] {
  const had = <T>(act: () => T, otherwise: T): T => {
    try {
      return act();
    } catch (error) {
      if (!(error instanceof DataError)) throw error;
      return otherwise;
    }
  };
  const rows = Array.from(
    {
      length: Math.min(
        most,
        had(() => data.rowCount(table), 0),
      ),
    },
    (_, i) => i,
  );
  const columns = data.modelTable(table).columns.map(({ name }) =>
    had(
      () => {
        const column = data.column(table, name);
        return column.valuesAt(rows).map((value) => (value === null ? '' : toText(value, column.type)));
      },
      rows.map(() => ''),
    ),
  );
  return rows.map((i) => columns.map((column) => column[i]!));
}
