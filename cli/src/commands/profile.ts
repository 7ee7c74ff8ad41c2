import { writeFileSync } from 'node:fs';
import type { Command } from 'commander';
import { adviceOn, profileDocument, profileModel, profilePage } from '@crease/core/storage';
import { NO_CACHE, rowsOfFolder } from '../folderRows.ts';
import { loadModel } from '../input.ts';

export function addProfile(program: Command): void {
  program
    .command('profile <model>')
    .description('what each table and column costs in bytes once encoded')
    .option('--data <dir>', 'folder of the data files; by default that of the model')
    .option(...NO_CACHE)
    .option('--json', 'the profile as JSON')
    .option('--html <file>', 'the profile as a page to hand on: sizes and counts, no value of the data')
    .action(
      async (
        modelFile: string,
        options: { data?: string; cache?: boolean; json?: boolean; html?: string },
      ) => {
        const start = performance.now();
        const model = loadModel(modelFile);
        const data = await rowsOfFolder(model, modelFile, options);
        const [profile, advice] = [profileModel(data), adviceOn(data)];
        const elapsedMs = Math.round(performance.now() - start);
        const at = new Date().toISOString();
        if (options.html !== undefined) {
          writeFileSync(options.html, profilePage(profileDocument(profile, model, { at, formulas: false })));
          if (!options.json) return;
        }
        if (options.json) {
          const document = profileDocument(profile, model, { at, formulas: true });
          process.stdout.write(`${JSON.stringify({ ...document, advice, elapsedMs })}\n`);
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
          `${[...lines, ...advised, `${profile.totalBytes} bytes in all; ${elapsedMs} ms`].join('\n')}\n`,
        );
      },
    );
}
