import type { Command } from 'commander';
import { adviceOn, profileModel } from '@crease/core/storage';
import { NO_CACHE, rowsOfFolder } from '../folderRows.ts';
import { loadModel } from '../input.ts';

export function addProfile(program: Command): void {
  program
    .command('profile <model>')
    .description('what each table and column costs in bytes once encoded')
    .option('--data <dir>', 'folder of the data files; by default that of the model')
    .option(...NO_CACHE)
    .option('--json', 'the profile as JSON')
    .action(async (modelFile: string, options: { data?: string; cache?: boolean; json?: boolean }) => {
      const start = performance.now();
      const model = loadModel(modelFile);
      const data = await rowsOfFolder(model, modelFile, options);
      const profile = { ...profileModel(data), advice: adviceOn(data) };
      const elapsedMs = Math.round(performance.now() - start);
      if (options.json) {
        process.stdout.write(`${JSON.stringify({ ...profile, elapsedMs })}\n`);
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
      const advice = profile.advice.map(
        (a) => `advice: ${a.column}: ${a.change} (${a.beforeBytes} -> ${a.afterBytes} bytes)`,
      );
      process.stdout.write(
        `${[...lines, ...advice, `${profile.totalBytes} bytes in all; ${elapsedMs} ms`].join('\n')}\n`,
      );
    });
}
