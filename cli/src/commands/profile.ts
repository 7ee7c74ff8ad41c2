import { writeFileSync } from 'node:fs';
import { numberText } from '@crease/core/values';
import type { Command } from 'commander';
import type { Model } from '@crease/core/model';
import type { Advice, Profile, ProfileDocument } from '@crease/core/storage';
import { adviceOn, profileDocument, profileModel, profilePage } from '@crease/core/storage';
import { NO_CACHE, rowsOfFolder } from '../folderRows.ts';
import { loadModel } from '../input.ts';
import type { DatabaseOptions } from '../onDatabase.ts';
import { onDatabase, withDatabase } from '../onDatabase.ts';

interface Options extends DatabaseOptions {
  readonly data?: string;
  readonly cache?: boolean;
  readonly json?: boolean;
  readonly html?: string;
}

type Sampled = NonNullable<ProfileDocument['sampled']>[number];

/** What a model weighs on files, or would weigh if the tables of a database were held. */
async function profiled(
  model: Model,
  modelFile: string,
  options: Options,
): Promise<{ profile: Profile; advice: readonly Advice[]; sampled: readonly Sampled[] }> {
  const { on } = options;
  if (on === undefined) {
    const data = await rowsOfFolder(model, modelFile, options);
    return { profile: profileModel(data), advice: adviceOn(data), sampled: [] };
  }
  const found = await onDatabase(model, modelFile, { ...options, on }, (at) => at.profile());
  // Advice is measured on all rows, which are not here.
  return { profile: found.profile, advice: [], sampled: found.sampled };
}

const sampledText = ({ table, rows, errors }: Sampled): string => {
  const worst = Object.entries(errors).reduce((a, b) => (b[1] > a[1] ? b : a), ['', 0]);
  const most = worst[0] === '' ? '' : `; bytes of ${worst[0]} by as much as ± ${Math.ceil(100 * worst[1])} %`;
  return `${table}: worked out from ${numberText(rows)} rows and counts of all${most}`;
};

export function addProfile(program: Command): void {
  withDatabase(program.command('profile <model>'))
    .description('what each table and column costs in bytes once encoded')
    .option('--data <dir>', 'folder of the data files; by default that of the model')
    .option(...NO_CACHE)
    .option('--json', 'the profile as JSON')
    .option('--html <file>', 'the profile as a page to hand on: sizes and counts, no value of the data')
    .action(async (modelFile: string, options: Options) => {
      const start = performance.now();
      const model = loadModel(modelFile);
      const { profile, advice, sampled } = await profiled(model, modelFile, options);
      const elapsedMs = Math.round(performance.now() - start);
      const at = new Date().toISOString();
      if (options.html !== undefined) {
        writeFileSync(options.html, profilePage(profileDocument(profile, model, { at, formulas: false })));
        if (!options.json) return;
      }
      if (options.json) {
        const document = profileDocument(profile, model, { at, formulas: true });
        const of = sampled.length > 0 ? { sampled } : {};
        process.stdout.write(`${JSON.stringify({ ...document, ...of, advice, elapsedMs })}\n`);
        return;
      }
      const lines = profile.tables.flatMap((t) => [
        `${t.name.padEnd(30)} ${String(t.rows).padStart(10)} rows ${String(t.totalBytes).padStart(12)} bytes`,
        ...[...t.columns]
          .sort((a, b) => b.totalBytes - a.totalBytes)
          .map(
            (c) =>
              `  ${c.name.padEnd(28)} ${String(c.distinct).padStart(10)} distinct ${String(c.totalBytes).padStart(8)} bytes  ${c.encoding}`,
          ),
      ]);
      const advised = advice.map(
        (a) => `advice: ${a.column}: ${a.change} (${a.beforeBytes} -> ${a.afterBytes} bytes)`,
      );
      process.stdout.write(
        `${[...lines, ...sampled.map(sampledText), ...advised, `${profile.totalBytes} bytes in all; ${elapsedMs} ms`].join('\n')}\n`,
      );
    });
}
