import type { Command } from 'commander';
import { folderCache } from '../folderRows.ts';

export function addCache(program: Command): void {
  const command = program
    .command('cache')
    .description('lists the cached files of folders, the last used first')
    .option('--json', 'as JSON')
    .action(async (options: { json?: boolean }) => {
      const cached = await folderCache().list();
      if (options.json) {
        process.stdout.write(`${JSON.stringify(cached)}\n`);
        return;
      }
      const lines = cached.map(
        ({ file, bytes, used }) => `${String(bytes).padStart(12)}  ${used.toISOString()}  ${file}`,
      );
      const total = cached.reduce((sum, { bytes }) => sum + bytes, 0);
      process.stdout.write(`${[...lines, `${total} bytes in all`].join('\n')}\n`);
    });
  command
    .command('clear')
    .description('removes the cache')
    .action(() => {
      const { files, bytes } = folderCache().clear();
      process.stdout.write(`${files} files removed, ${bytes} bytes\n`);
    });
}
