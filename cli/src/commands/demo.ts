import { closeSync, mkdirSync, openSync, writeSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Command } from 'commander';
import { demoFiles, demoModel } from '@crease/demo';
import { writeModel } from '@crease/core/model';
import { CommandError } from '../input.ts';

/** Lines written at a time. */
const BATCH = 4096;

export function addDemo(program: Command): void {
  program
    .command('demo <dir>')
    .description(
      'writes the source files and the model of a made-up library consortium, planted flaws included',
    )
    .option('--loans <n>', 'loan lines; everything else follows', '200000')
    .option('--seed <n>', 'another seed gives other rows', '20260630')
    .option('--sqlite', 'the same rows in a SQLite file too')
    .action(async (folder: string, options: { loans: string; seed: string; sqlite?: boolean }) => {
      const [loans, seed] = [Number(options.loans), Number(options.seed)];
      if (!Number.isInteger(loans) || loans < 1 || !Number.isInteger(seed))
        throw new CommandError('--loans and --seed are whole numbers');
      writeDemo(folder, loans, seed);
      if (!options.sqlite) return;
      // Loaded only here: the other commands start fast without it.
      const [{ writeSqlite }, { folderData }] = await Promise.all([
        import('@crease/server/sql'),
        import('@crease/server/files'),
      ]);
      writeSqlite(folderData(demoModel(), folder, 0), join(folder, 'lantern-valley.sqlite'));
    });
}

export function writeDemo(folder: string, loans: number, seed?: number): void {
  mkdirSync(folder, { recursive: true });
  for (const file of demoFiles({ loans, ...(seed === undefined ? {} : { seed }) })) {
    const descriptor = openSync(join(folder, file.name), 'w');
    let batch: string[] = [];
    for (const line of file.lines()) {
      batch.push(line);
      if (batch.length < BATCH) continue;
      writeSync(descriptor, batch.join(''));
      batch = [];
    }
    writeSync(descriptor, batch.join(''));
    closeSync(descriptor);
  }
  writeFileSync(join(folder, 'lantern-valley.crease.json'), writeModel(demoModel()));
}
