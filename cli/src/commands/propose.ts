import { readdirSync, writeFileSync } from 'node:fs';
import { basename, resolve } from 'node:path';
import type { Command } from 'commander';
import type { Model, Table } from '@crease/core/model';
import { writeModel } from '@crease/core/model';
import { acceptAll, proposeStar } from '@crease/core/propose';
import { ReadError } from '@crease/core/reading';
import { draftTable, openFolder, previewWhole } from '@crease/server/files';
import { formatDate } from '@crease/core/values';
import { CommandError, todayOf } from '../input.ts';
import type { DatabaseOptions } from '../onDatabase.ts';
import { connectionOf, databaseWords, onDatabase, withDatabase } from '../onDatabase.ts';

/** The schema of a database that names none; in MariaDB it is the database itself. */
const USUAL_SCHEMA: Readonly<Record<string, string>> = { postgresql: 'public', duckdb: 'main' };
const TABLE_FILE = /\.((csv|tsv|txt)(\.gz)?|parquet)$/i;

export function addPropose(program: Command): void {
  withDatabase(program.command('propose [dir]'))
    .description(
      'drafts a model from a folder of delimited and Parquet files, or from a schema of a database: tables, types, uses, keys, relationships, each with its evidence',
    )
    .option('--out <file>', 'writes the model file; otherwise standard output')
    .action(async (folder: string | undefined, options: DatabaseOptions & { out?: string }) => {
      if (options.on !== undefined) {
        await proposeOn({ ...options, on: options.on });
        return;
      }
      if (folder === undefined)
        throw new CommandError('name a folder of files, or a database with --on and --schema');
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
      write(acceptAll(drafted, proposals), options.out);
    });
}

function write(model: Model, out: string | undefined): void {
  const text = writeModel(model);
  if (out === undefined) process.stdout.write(text);
  else writeFileSync(out, text);
}

/**
 * Drafts a model of the tables of a schema, passed through: from their declared keys and references, and from
 * what whole small tables and samples of large ones show. What that comes to is counted on all rows.
 */
async function proposeOn(options: DatabaseOptions & { on: string; out?: string }): Promise<void> {
  const { claimOfProposal, groupedCatalog, isGroupedPlace, onAllRows, readerAt, withPassedTables } =
    await import('@crease/server/warehouse');
  const { name, place } = connectionOf(options.on);
  const schema = options.schema ?? USUAL_SCHEMA[place.kind] ?? ('database' in place ? place.database : '');
  const reader = isGroupedPlace(place) ? groupedCatalog(place) : readerAt(place);
  const drafted = await databaseWords(async () => {
    const tables = (await reader.tables()).filter((t) => (t.schema ?? '') === schema && t.readable);
    if (tables.length === 0)
      throw new CommandError(
        `${schema === '' ? name : `the schema ${schema}`} has no tables that ${'user' in place ? place.user : 'whoever runs this program'} may read`,
      );
    const empty: Model = { crease: 1, name: schema || name, tables: [] };
    return withPassedTables(
      empty,
      name,
      reader,
      tables.map((t) => ({ schema: t.schema ?? undefined, table: t.table })),
    );
  });
  const found = await onDatabase(drafted, '.', options, (on) => on.proposals());
  const accepted = acceptAll(drafted, found);
  const day = formatDate(todayOf({ ...accepted, asOf: undefined }));
  const claims = await onDatabase(accepted, '.', options, (on) => on.judge(day));
  for (const p of found) {
    const claim = claims.find((c) => c.id === claimOfProposal(p));
    const evidence = [...p.evidence, ...(claim ? [onAllRows(claim)] : [])];
    process.stderr.write(`${p.kind.padEnd(12)} ${p.says}: ${evidence.join('; ')}\n`);
  }
  write(accepted, options.out);
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
