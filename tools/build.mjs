// Bundles the programs (command line, server with its worker) with esbuild and the screens with Vite.
//   node tools/build.mjs [--programs]     --programs: without the screens
import { rmSync } from 'node:fs';
import { dirname, resolve } from 'node:path';
import { fileURLToPath } from 'node:url';
import { build } from 'esbuild';
import './kernels.mjs';

const root = resolve(dirname(fileURLToPath(import.meta.url)), '..');
const common = {
  absWorkingDir: root,
  bundle: true,
  platform: 'node',
  target: 'node20',
  format: 'esm',
  sourcemap: true,
  // What is read at each start is half as long; names stay, for the traces of faults.
  minifyWhitespace: true,
  minifySyntax: true,
  logLevel: 'warning',
  outExtension: { '.js': '.mjs' },
  // Packages with native parts or workers of their own stay where npm put them.
  external: [
    'better-sqlite3',
    'piscina',
    'pino',
    'pg',
    'pg-copy-streams',
    '@duckdb/node-api',
    'mysql2',
    'mysql2/promise',
  ],
  banner: {
    js: "import { createRequire as __createRequire } from 'node:module'; const require = __createRequire(import.meta.url);",
  },
};
// Chunks are named by their contents: those of builds before would pile up.
rmSync(resolve(root, 'cli/dist'), { recursive: true, force: true });
const entries = {
  crease: 'cli/src/main.ts',
  worker: 'server/src/tasks/worker.ts',
  isolated: 'server/src/readers/isolated.ts',
  scanWorker: 'server/src/tasks/scanWorker.ts',
};
await build({
  ...common,
  entryPoints: entries,
  outdir: 'cli/dist',
  splitting: true,
  chunkNames: 'chunk-[hash]',
});

if (!process.argv.includes('--programs')) {
  const vite = await import('vite');
  await vite.build({
    root: resolve(root, 'web'),
    configFile: resolve(root, 'web/vite.config.ts'),
    logLevel: 'warn',
  });
}
